import type { Schemas } from "../api/client";

const COLUMNS = 96;
const ROWS = 16;

/** A take's small drawing: the cells that the core computed, in the dyes of their parts. */
export function Sketch({ summary }: { summary: Schemas["Summary"] }) {
  return (
    <svg viewBox={`0 0 ${COLUMNS} ${ROWS}`} preserveAspectRatio="none" className="h-16 w-full" aria-hidden>
      {summary.sketch.map(([column, row, width, part]) => (
        <rect
          key={`${column}.${row}`}
          x={column}
          y={row + 0.2}
          width={width}
          height={0.6}
          fill={`var(--color-${summary.parts[part]?.dye ?? "oakgall"})`}
        />
      ))}
    </svg>
  );
}
