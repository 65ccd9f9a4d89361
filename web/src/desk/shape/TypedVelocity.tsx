import { useId, useRef, useState } from "react";
import type { Stroke, Where } from "../../api/client";
import { VELOCITY } from "../../score/lanes";
import { typedNumber } from "../../ui/numbers";
import { close, keep, letGo, preview } from "../take/shaping";
import { desk, kindOf } from "../take/state";

/** What is meant by typed words: 64 sets, +12 or -5 adds, 80% scales. A sentence where nothing is. */
export function meant(typed: string, where: Where): { stroke: Stroke; does: string } | string {
  const { low, high } = kindOf(VELOCITY);
  const words = typedNumber(typed);
  const number = Number(words.replace(/%$/, ""));
  if (!/^[+-]?(\d+\.?\d*|\.\d+)%?$/.test(words) || !Number.isFinite(number)) {
    return "Type a velocity (64), a step (+12 or -5) or a percentage (80%).";
  }
  if (words.endsWith("%")) {
    if (/^[+-]/.test(words)) return "A percentage has no sign: 80% makes softer, 120% louder.";
    if (number > 1600) return "At most 1600%.";
    return {
      stroke: { kind: "velocity.scale", where, factor: number / 100, pivot: 0, limit: desk().limit },
      does: `scales to ${number}%`,
    };
  }
  if (!Number.isInteger(number)) return "Velocities are whole numbers.";
  if (/^[+-]/.test(words)) {
    if (Math.abs(number) > high) return `A step is at most ${high} either way.`;
    const does = number < 0 ? `takes ${-number} away` : `adds ${number}`;
    return { stroke: { kind: "velocity.nudge", where, by: number, limit: desk().limit }, does };
  }
  if (number < low || number > high) return `Velocity must be ${low} to ${high}, not ${number}.`;
  return { stroke: { kind: "velocity.set", where, value: number }, does: `sets all to ${number}` };
}

/** Typed words that shape all that is chosen: shown while they are typed, kept with Enter, taken back with Escape. */
export function TypedVelocity({ where }: { where: () => Where }) {
  const id = useId();
  const [typed, setTyped] = useState("");
  /** What is open was typed here. */
  const mine = useRef(false);
  const found = typed.trim() ? meant(typed, where()) : null;
  const isWrong = typeof found === "string";
  const type = (next: string) => {
    setTyped(next);
    const now = next.trim() ? meant(next, where()) : null;
    const { shaping } = desk();
    // What is typed here is another stroke than the one that is open; what makes no sense any longer is tried no longer.
    if (shaping && !mine.current) close();
    else if (shaping && (!now || typeof now === "string")) letGo();
    mine.current = !!now && typeof now !== "string";
    if (now && typeof now !== "string") preview(now.stroke);
  };
  return (
    <form
      className="relative flex-1"
      onSubmit={(event) => {
        event.preventDefault();
        if (!found || isWrong) return;
        setTyped("");
        mine.current = false;
        void keep();
      }}
    >
      <label htmlFor={id} className="sr-only">
        Velocities
      </label>
      <input
        id={id}
        autoComplete="off"
        placeholder="64   +12   80%"
        title="Velocities: 64 sets, +12 adds, 80% scales all that are chosen; Enter keeps it"
        value={typed}
        aria-invalid={isWrong}
        aria-describedby={`${id} says`}
        className="entry"
        onChange={(event) => type(event.target.value)}
        onKeyDown={(event) => {
          if (event.key !== "Escape" || !typed) return;
          event.stopPropagation();
          type("");
        }}
      />
      <Says id={`${id} says`} found={found} />
    </form>
  );
}

/** What the typed words would do, or why they do nothing. */
function Says({ id, found }: { id: string; found: ReturnType<typeof meant> | null }) {
  const isWrong = typeof found === "string";
  return (
    <p
      id={id}
      role={isWrong ? "alert" : undefined}
      className={
        found
          ? `absolute top-full right-0 z-20 mt-0.5 rounded border border-rule-strong bg-sheet px-2 py-0.5 text-[13px] whitespace-nowrap shadow ${isWrong ? "text-accent-deep" : "text-faded"}`
          : "sr-only"
      }
    >
      {isWrong ? found : found ? `${found.does}; Enter keeps it` : "sets, adds or scales all that are chosen"}
    </p>
  );
}
