import type { Gesture } from "../../api/strokes";
import { beginGesture } from "../strokes/begin";
import { SIGNS, type Sign } from "../strokes/signs";

/** Buttons that begin gestures, each with a small drawing of it. */
export function GestureKeys({ gestures, lane }: { gestures: readonly Gesture[]; lane: string }) {
  return (
    <div className="grid grid-cols-2 gap-1.5">
      {gestures.map((gesture) => (
        <button
          key={gesture.name}
          type="button"
          title={gesture.title}
          className="key h-8 justify-start gap-1.5 px-1.5 text-left text-[13px] whitespace-nowrap"
          onClick={() => beginGesture(gesture, lane)}
        >
          <svg viewBox="0 0 24 13" className="h-3 w-5 shrink-0 text-accent" aria-hidden>
            <path
              d={SIGNS[gesture.sign as Sign]}
              fill="none"
              stroke="currentColor"
              strokeWidth="1.5"
              strokeLinejoin="round"
            />
          </svg>
          {gesture.name}
        </button>
      ))}
    </div>
  );
}
