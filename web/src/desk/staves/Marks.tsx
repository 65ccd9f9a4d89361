import { useMemo } from "react";
import type { StrokeView } from "../../api/client";
import { placeText, type Score } from "../../score/score";
import { late } from "../../ui/late";
import { type Camera, GUTTER, xOf } from "../page/camera";
import { openStroke } from "../take/arranging";
import { leadPart, useDesk } from "../take/state";

const Phrases = late(async () => (await import("./Phrases")).Phrases);

const LEAST_WIDTH = 20;
const ROW_PIXELS = 22;
/** So many are seen; what more there is is scrolled to, so that the staves never move under a hand. */
const ROWS_SEEN = 2;
const MOST_ROWS = 12;
const FLAG_PIXELS = 12;

/** Marks that overlap go below one another, as far as there is room; what more there is lies over the one that ends first. */
function inRows(strokes: readonly StrokeView[], fronts: readonly number[]) {
  const free: number[] = [0];
  const shown = strokes
    .filter((one) => one.mark.parts.some((part) => fronts.includes(part)))
    .sort((a, b) => a.mark.start - b.mark.start || a.number - b.number)
    .map((one) => {
      let row = free.findIndex((end) => end <= one.mark.start);
      if (row < 0) row = free.length < MOST_ROWS ? free.length : free.indexOf(Math.min(...free));
      free[row] = Math.max(free[row] ?? 0, one.mark.end);
      return { one, row };
    });
  return { shown, rows: free.length };
}

/** The strokes as marks under the ruler, where they act; and small flags for what is neither note nor lane. */
export function Marks() {
  const strokes = useDesk((state) => state.history.strokes);
  const camera = useDesk((state) => state.camera);
  const score = useDesk((state) => state.score);
  const fronts = useDesk((state) => state.fronts);
  const { shown, rows } = useMemo(() => inRows(strokes, fronts), [strokes, fronts]);
  const feet = useDesk((state) => leadPart(state)?.feet);
  const hasPhrases = useDesk((state) => !!leadPart(state)?.phrases.length);
  const pedalled = feet?.length || hasPhrases ? PEDAL_PIXELS : 0;
  return (
    <section
      aria-label="Marks"
      className="relative w-full shrink-0 overflow-hidden border-b border-rule bg-sheet"
      style={{ height: ROWS_SEEN * ROW_PIXELS + pedalled + 2 }}
    >
      <span
        aria-hidden
        className="absolute inset-y-0 left-0 pr-2.5 text-right font-mark text-[15px] leading-[22px] text-faded italic"
        style={{ width: GUTTER }}
      >
        marks
      </span>
      <div
        className="absolute top-0 right-0 overflow-x-hidden overflow-y-auto [scrollbar-width:thin]"
        style={{ left: GUTTER, height: ROWS_SEEN * ROW_PIXELS + 2 }}
      >
        {/* As high as all rows are, so that all can be scrolled to. */}
        <span aria-hidden className="block w-px" style={{ height: rows * ROW_PIXELS }} />
        {shown.map(({ one, row }) => (
          <StrokeMark key={one.number} one={one} row={row} camera={camera} />
        ))}
        {score && <Flags camera={camera} score={score} />}
      </div>
      {pedalled > 0 && (
        <div
          className="absolute right-0 overflow-hidden"
          style={{ left: GUTTER, top: ROWS_SEEN * ROW_PIXELS, height: PEDAL_PIXELS }}
        >
          {hasPhrases && <Phrases camera={camera} />}
          {feet && <Feet feet={feet} camera={camera} top={FEET_BELOW} />}
        </div>
      )}
    </section>
  );
}

function StrokeMark({ one, row, camera }: { one: StrokeView; row: number; camera: Camera }) {
  const isOpen = useDesk((state) => state.shaping?.number === one.number);
  const left = xOf(camera, one.mark.start) - GUTTER;
  const width = Math.max((one.mark.end - one.mark.start) * camera.perTick, LEAST_WIDTH);
  if (left + width < 0 || left > camera.width) return null;
  // What does nothing now is struck out, and can still be read.
  const tone = one.on && !one.idle ? "text-ink" : "text-faded line-through decoration-1";
  return (
    <button
      type="button"
      aria-label={`Open ${one.mark.label}, ${one.mark.place}`}
      title={`${one.mark.label}, ${one.mark.place}`}
      onClick={() => void openStroke(one.number)}
      style={{ left, width, top: row * ROW_PIXELS + 2, height: ROW_PIXELS - 2 }}
      className={`absolute rounded-sm after:absolute after:-inset-x-0.5 after:-inset-y-0.5 hover:bg-accent-wash ${
        isOpen ? "bg-accent-wash text-accent" : tone
      }`}
    >
      <MarkSign stroke={one} width={width} />
    </button>
  );
}

/** The pedal as a score writes it: pressed, and lifted with a star; of those that fall together only the first. */
function Feet({
  feet,
  camera,
  top,
}: {
  feet: readonly (readonly [number, number])[];
  camera: Camera;
  top: number;
}) {
  const signs: { x: number; tick: number; lifts: boolean }[] = [];
  let free = Number.NEGATIVE_INFINITY;
  for (const [down, up] of feet) {
    const [left, right] = [xOf(camera, down) - GUTTER, xOf(camera, up) - GUTTER];
    if (right < -SIGN_PIXELS || left > camera.width) continue;
    if (left >= free) {
      signs.push({ x: left, tick: down, lifts: false });
      free = left + SIGN_PIXELS;
    }
    if (right - STAR_PIXELS >= free) {
      signs.push({ x: right - STAR_PIXELS, tick: up, lifts: true });
      free = right;
    }
  }
  return (
    <span aria-hidden className="pointer-events-none absolute inset-x-0 text-faded" style={{ top }}>
      {signs.map(({ x, tick, lifts }) => (
        <span
          key={`${tick} ${lifts}`}
          className="absolute font-mark text-[13px] leading-[15px] italic"
          style={{ left: x }}
        >
          {lifts ? (
            <svg viewBox="0 0 10 10" className="mt-[3px] h-2.5 w-2.5" aria-hidden>
              <path
                d="M5 1v8M1 5h8M2.2 2.2l5.6 5.6M7.8 2.2L2.2 7.8"
                stroke="currentColor"
                strokeWidth="1.1"
                fill="none"
              />
            </svg>
          ) : (
            "Ped."
          )}
        </span>
      ))}
    </span>
  );
}

/** Under the marks: where the line breathes, and the pedal. */
const PEDAL_PIXELS = 24;
const FEET_BELOW = 8;
const SIGN_PIXELS = 30;
const STAR_PIXELS = 10;

/** A hairpin is drawn as in a score; the others by what they do. */
function MarkSign({ stroke, width }: { stroke: StrokeView; width: number }) {
  const { sign } = stroke.mark;
  if (sign === "<" || sign === ">") {
    const path = sign === "<" ? `M${width - 2} 3 L2 10 L${width - 2} 17` : `M2 3 L${width - 2} 10 L2 17`;
    return (
      <svg width={width} height="20" aria-hidden className="block">
        <path d={path} fill="none" stroke="currentColor" strokeWidth="1.4" strokeLinejoin="round" />
      </svg>
    );
  }
  return (
    <span className="flex h-full items-center overflow-hidden font-mark text-[15px] whitespace-nowrap italic">
      <span className="pl-0.5">{sign}</span>
      <span className="ml-1 h-px flex-1 bg-current opacity-50" />
    </span>
  );
}

/** Programs, exclusives, texts, tempos: those that fall together share a flag. */
function Flags({ camera, score }: { camera: Camera; score: Score }) {
  const groups: { x: number; tick: number; lines: string[] }[] = [];
  for (const flag of score.flags) {
    const x = xOf(camera, flag.tick) - GUTTER;
    if (x < -FLAG_PIXELS || x > camera.width) continue;
    const line = `${flag.kind}: ${flag.value}`;
    const last = groups[groups.length - 1];
    if (last && x - last.x < FLAG_PIXELS) last.lines.push(line);
    else groups.push({ x, tick: flag.tick, lines: [line] });
  }
  return groups.map(({ x, tick, lines }) => {
    const shown = [...new Set(lines)].slice(0, 12).join("\n");
    return (
      <span
        key={tick}
        role="img"
        aria-label={`At ${placeText(score, tick)}: ${shown}`}
        title={`${placeText(score, tick)}\n${shown}`}
        className="absolute top-0 h-2.5 w-2 border-l border-faded"
        style={{ left: x }}
      >
        <span className="block h-1.5 w-1.5 bg-faded" />
      </span>
    );
  });
}
