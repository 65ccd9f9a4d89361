import type { KeyboardEvent, PointerEvent } from "react";
import { between } from "../../ui/numbers";
import { Hand } from "./Hand";

/** Of the height, before anybody has moved it. */
export const START_SHARE = 0.26;
const LEAST = 0.16;
const MOST = 0.7;

/** The edge between notes and lane: names the lane, says what the hand does on it, and is dragged to make it taller. */
export function LaneDivider({ share, onShare }: { share: number; onShare: (share: number) => void }) {
  const limited = (value: number) => onShare(between(value, LEAST, MOST));
  const drag = (event: PointerEvent<HTMLElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const box = event.currentTarget.parentElement?.getBoundingClientRect();
    if (box) limited((box.bottom - event.clientY - 12) / box.height);
  };
  const press = (event: KeyboardEvent) => {
    const by = { ArrowUp: 0.04, ArrowDown: -0.04 }[event.key];
    if (!by) return;
    event.preventDefault();
    limited(share + by);
  };
  return (
    <div className="relative flex h-7 shrink-0 items-center gap-2 border-y border-rule-strong bg-paper px-3 whitespace-nowrap">
      {/* biome-ignore lint/a11y/useSemanticElements: a rule that is moved is a separator, not an hr */}
      <div
        role="separator"
        aria-orientation="horizontal"
        aria-label="Height of the velocity lane"
        aria-valuenow={Math.round(share * 100)}
        aria-valuemin={LEAST * 100}
        aria-valuemax={MOST * 100}
        tabIndex={0}
        onKeyDown={press}
        onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
        onPointerMove={drag}
        className="absolute inset-0 cursor-row-resize touch-none"
      />
      <span
        className="pointer-events-none relative w-[84px] shrink-0 text-[13px] font-semibold"
        title="1–127, how hard each note is struck"
      >
        Velocity
      </span>
      <div className="relative min-w-0 flex-1 [container:hand/inline-size]">
        <Hand />
      </div>
      <span className="pointer-events-none absolute inset-x-0 -top-px mx-auto h-[3px] w-10 rounded-b bg-rule-strong" />
    </div>
  );
}
