import { api, type Schemas } from "../../api/client";
import { partName } from "../take/arranging";
import { useRead } from "../take/reading";
import { leadPart, takePath, useDesk } from "../take/state";

type Strip = Schemas["Strip"];

/** Air at both ends of a strip, as a share of it. */
const AIR = 0.06;

/** How the part in front is played, beside the demo's hands and the player's own takes: no mark out of ten. */
export function Range() {
  const part = useDesk(leadPart);
  const number = part?.id ?? 0;
  const strips = useRead<Strip[]>(["range", number], () =>
    api.GET("/api/takes/{take_id}/range", { params: { path: takePath(), query: { part: number } } }),
  );
  if (!part) return null;
  return (
    <section
      aria-label={`How ${partName(part)} is played`}
      className="flex min-h-0 flex-1 flex-col px-3 py-1.5 text-[13px]"
    >
      <p className="text-faded">
        <span className="font-semibold text-ink">{partName(part)}</span> (upright), your own takes (rings),
        the demo's hands (dots)
      </p>
      <ul
        className="min-h-0 flex-1 overflow-y-auto"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by the keyboard
        tabIndex={0}
        aria-label="Measures"
      >
        {strips?.map((one) => (
          <StripLine key={one.key} strip={one} />
        ))}
      </ul>
    </section>
  );
}

function StripLine({ strip }: { strip: Strip }) {
  const all = [...strip.demo, ...strip.own, ...(strip.mine === null ? [] : [strip.mine])];
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const at = (value: number) =>
    `${100 * (high > low ? AIR + ((1 - 2 * AIR) * (value - low)) / (high - low) : 0.5)}%`;
  const said = strip.mine === null ? "none" : `${round(strip.mine)} ${strip.unit}`;
  const others = all.length > (strip.mine === null ? 0 : 1) ? `; others ${round(low)} to ${round(high)}` : "";
  return (
    <li className="flex min-h-6 items-center gap-2" title={`${strip.name}: ${said}${others}`}>
      <span className="w-40 shrink-0 truncate">{strip.name}</span>
      <span className="sr-only">{`${said}${others}`}</span>
      <span aria-hidden className="relative h-4 min-w-0 flex-1 border-b border-rule">
        {strip.demo.map((value, row) => (
          <span
            key={`demo ${row.toString()}`}
            className="absolute top-1.5 h-1.5 w-1.5 -translate-x-1/2 rounded-full bg-faded"
            style={{ left: at(value) }}
          />
        ))}
        {strip.own.map((value, row) => (
          <span
            key={`own ${row.toString()}`}
            className="absolute top-1 h-2.5 w-2.5 -translate-x-1/2 rounded-full border border-faded"
            style={{ left: at(value) }}
          />
        ))}
        {strip.mine !== null && (
          <span
            className="absolute top-0 h-4 w-[3px] -translate-x-1/2 rounded-sm bg-accent"
            style={{ left: at(strip.mine) }}
          />
        )}
      </span>
      <span aria-hidden className="w-24 shrink-0 text-right text-faded tabular-nums">
        {said}
      </span>
    </li>
  );
}

const round = (value: number) => String(Math.round(value * 10) / 10).replace("-", "−");
