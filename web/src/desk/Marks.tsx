import type { StrokeView } from "../api/client";
import { GUTTER, xOf } from "./camera";
import { open, useDesk } from "./store";

const LEAST_WIDTH = 14;

/** The strokes as marks under the ruler, where they act: a click opens one. */
export function Marks() {
  const strokes = useDesk((state) => state.history.strokes);
  const camera = useDesk((state) => state.camera);
  const front = useDesk((state) => state.front);
  const openNumber = useDesk((state) => state.shaping?.number);
  return (
    <section
      aria-label="Marks"
      className="relative h-6 w-full shrink-0 overflow-hidden border-b border-rule bg-sheet"
    >
      <span
        aria-hidden
        className="absolute inset-y-0 left-0 pr-2.5 text-right font-mark text-[15px] leading-[22px] text-faded italic"
        style={{ width: GUTTER }}
      >
        marks
      </span>
      <div className="absolute inset-y-0 right-0 overflow-hidden" style={{ left: GUTTER }}>
        {strokes
          .filter((one) => one.mark.parts.includes(front))
          .map((one) => {
            const left = xOf(camera, one.mark.start) - GUTTER;
            const width = Math.max((one.mark.end - one.mark.start) * camera.perTick, LEAST_WIDTH);
            if (left + width < 0 || left > camera.width) return null;
            return (
              <button
                key={one.number}
                type="button"
                aria-label={`Open ${one.mark.label}, ${one.mark.place}`}
                title={`${one.mark.label}, ${one.mark.place}`}
                onClick={() => void open(one.number)}
                style={{ left, width }}
                className={`absolute inset-y-0.5 rounded-sm hover:bg-accent-wash ${
                  one.on && !one.idle ? "" : "opacity-35"
                } ${openNumber === one.number ? "bg-accent-wash text-accent" : "text-ink"}`}
              >
                <MarkSign stroke={one} width={width} />
              </button>
            );
          })}
      </div>
    </section>
  );
}

/** A hairpin is drawn as in a score; the others by what they do. */
function MarkSign({ stroke, width }: { stroke: StrokeView; width: number }) {
  const made = stroke.stroke;
  if (made.kind === "velocity.hairpin") {
    const grows = made.end >= made.start;
    const path = grows ? `M${width - 2} 3 L2 10 L${width - 2} 17` : `M2 3 L${width - 2} 10 L2 17`;
    return (
      <svg width={width} height="20" aria-hidden className="block">
        <path d={path} fill="none" stroke="currentColor" strokeWidth="1.4" strokeLinejoin="round" />
      </svg>
    );
  }
  const sign =
    made.kind === "velocity.set" ? String(made.value) : `${made.by > 0 ? "+" : "−"}${Math.abs(made.by)}`;
  return (
    <span className="flex h-full items-center overflow-hidden font-mark text-[15px] whitespace-nowrap italic">
      <span className="pl-0.5">{sign}</span>
      <span className="ml-1 h-px flex-1 bg-current opacity-50" />
    </span>
  );
}
