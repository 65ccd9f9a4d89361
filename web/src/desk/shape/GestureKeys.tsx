import type { Gesture } from "../strokes/entry";
import { SIGNS } from "../strokes/signs";

/** Buttons that begin gestures, each with a small drawing of it. */
export function GestureKeys({ gestures, lane }: { gestures: readonly Gesture[]; lane: string }) {
  return (
    <div className="grid grid-cols-2 gap-1.5">
      {gestures.map(({ sign, name, title, begin }) => (
        <button
          key={name}
          type="button"
          title={title}
          className="key h-8 justify-start gap-1.5 px-1.5 text-left text-[13px] whitespace-nowrap"
          onClick={() => begin(lane)}
        >
          <svg viewBox="0 0 24 13" className="h-3 w-5 shrink-0 text-accent" aria-hidden>
            <path
              d={SIGNS[sign]}
              fill="none"
              stroke="currentColor"
              strokeWidth="1.5"
              strokeLinejoin="round"
            />
          </svg>
          {name}
        </button>
      ))}
    </div>
  );
}
