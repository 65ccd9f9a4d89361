import { SIGNS, type Sign } from "../strokes/signs";

/** A button that begins a gesture, with a small drawing of it. */
export function GestureKey({
  sign,
  name,
  run,
  title,
}: {
  sign: Sign;
  name: string;
  run: () => void;
  title: string;
}) {
  return (
    <button
      type="button"
      title={title}
      className="key h-8 justify-start gap-1.5 px-1.5 text-left text-[13px] whitespace-nowrap"
      onClick={run}
    >
      <svg viewBox="0 0 24 13" className="h-3 w-5 shrink-0 text-accent" aria-hidden>
        <path d={SIGNS[sign]} fill="none" stroke="currentColor" strokeWidth="1.5" strokeLinejoin="round" />
      </svg>
      {name}
    </button>
  );
}
