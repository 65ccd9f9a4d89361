/** The rounds of a loop, one above the other: a drag over the bars of one takes them from it. */
import { type PointerEvent, useState } from "react";
import type { StrokeView } from "../../api/client";
import { placeOf, tickOfPlace } from "../../score/score";
import { changeStrokes } from "../take/shaping";
import { useDesk } from "../take/state";
import { type Pass, takenFrom } from "./passes";

type Span = readonly [number, number];

interface Drag {
  round: number;
  from: number;
  to: number;
}

/** Where a tick lies in the whole, in hundredths. */
const shareOf = (whole: Span, tick: number) => (100 * (tick - whole[0])) / (whole[1] - whole[0]);

function Stretch({ whole, span, className }: { whole: Span; span: Span; className: string }) {
  const [left, right] = [shareOf(whole, span[0]), shareOf(whole, span[1])];
  return (
    <span
      className={`absolute inset-y-0 ${className}`}
      style={{ left: `${left}%`, width: `${right - left}%` }}
    />
  );
}

const tickUnder = (whole: Span, event: PointerEvent<HTMLElement>) => {
  const box = event.currentTarget.getBoundingClientRect();
  const along = Math.min(Math.max((event.clientX - box.left) / box.width, 0), 0.9999);
  return Math.floor(whole[0] + along * (whole[1] - whole[0]));
};

export function Rounds({ rounds, whole }: { rounds: readonly StrokeView[]; whole: Span }) {
  const score = useDesk((state) => state.score);
  const [drag, setDrag] = useState<Drag | null>(null);
  if (!score) return null;
  const [first, last] = [placeOf(score, whole[0]).bar, placeOf(score, whole[1] - 1).bar];
  const bars = Array.from({ length: last - first + 1 }, (_, row) => first + row);
  const startOf = (bar: number) => Math.max(tickOfPlace(score, bar, 1), whole[0]);
  /** The whole bars between two ticks, as far as the rounds go. */
  const barsOf = ({ from, to }: Drag): Span => {
    const [left, right] = [placeOf(score, Math.min(from, to)).bar, placeOf(score, Math.max(from, to)).bar];
    return [startOf(left), right >= last ? whole[1] : startOf(right + 1)];
  };
  const handlers = (round: number) => ({
    onPointerDown: (event: PointerEvent<HTMLElement>) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      setDrag({ round, from: tickUnder(whole, event), to: tickUnder(whole, event) });
    },
    onPointerMove: (event: PointerEvent<HTMLElement>) => {
      const to = tickUnder(whole, event);
      setDrag((was) => was && { ...was, to });
    },
    onPointerUp: () => {
      if (drag) void changeStrokes(takenFrom(rounds, rounds[drag.round]!, barsOf(drag)));
      setDrag(null);
    },
    onPointerCancel: () => setDrag(null),
  });
  return (
    <div className="mt-1 flex flex-col gap-1" data-testid="rounds">
      {rounds.map((one, round) => {
        const counts = one.on ? ((one.stroke as Pass).only ?? [whole]) : [];
        const taken = drag?.round === round ? barsOf(drag) : null;
        return (
          <div key={one.number} className="flex items-center gap-2">
            <span className="w-5 text-right text-faded tabular-nums">{round + 1}</span>
            <div
              className="relative h-6 grow touch-none cursor-ew-resize rounded-sm border border-rule-strong bg-sheet"
              title="Drag over bars to take them from this round"
              data-testid={`round ${round + 1}`}
              {...handlers(round)}
            >
              {counts.map((span) => (
                <Stretch key={span[0]} whole={whole} span={span} className="bg-accent/40" />
              ))}
              {bars.slice(1).map((bar) => (
                <span
                  key={bar}
                  className="absolute inset-y-0 w-px bg-rule-strong"
                  style={{ left: `${shareOf(whole, startOf(bar))}%` }}
                />
              ))}
              {taken && <Stretch whole={whole} span={taken} className="border-2 border-accent-deep" />}
            </div>
          </div>
        );
      })}
    </div>
  );
}
