import { useEffect, useState } from "react";
import { Link } from "react-router";
import { usePlayer } from "../../sound/player";
import { wish } from "../take/arranging";
import { useDesk } from "../take/state";

interface Step {
  does: string;
  how: string;
}

const STEPS: readonly Step[] = [
  { does: "Hear it", how: "Press Space, or the key with the triangle at the lower left." },
  {
    does: "Choose bars 9 to 12",
    how: "Drag along the ruler above the staves: here everything should build.",
  },
  {
    does: "Let them build",
    how: "Press Hairpin in the panel on the right. Drag the ends of its line, or type them.",
  },
  { does: "Keep it", how: "Enter keeps what is tried, Escape drops it. What is kept is listed below." },
  {
    does: "Before and after",
    how: "Press Before, below: you hear and see it as it was. After comes back; so does the key b.",
  },
  { does: "Take it home", how: "Download .mid, at the upper right, is the file with all that you did." },
];

/** Which steps are done, by what the desk shows. */
function useDone(): number {
  const [reached, setReached] = useState(0);
  const playing = usePlayer((state) => state.playing);
  const before = usePlayer((state) => state.before);
  const span = useDesk((state) => state.span);
  const tries = useDesk((state) => state.shaping !== null);
  const strokes = useDesk((state) => state.history.strokes.length);
  const [kept, setKept] = useState<number | null>(null);
  useEffect(() => {
    // A step is done when its own thing has happened, in the order of the walk.
    const has = [playing, span !== null, tries, kept !== null && strokes > kept, before];
    if (reached < has.length && has[reached]) setReached(reached + 1);
    if (kept === null && tries) setKept(strokes);
  }, [playing, span, tries, strokes, before, kept, reached]);
  return reached;
}

/** Three minutes through the desk: one thing after another, each when the last is done; it can be left at any time. */
export function Walk({ onLeave }: { onLeave: () => void }) {
  const done = useDone();
  const [skipped, setSkipped] = useState(0);
  const at = Math.min(Math.max(done, skipped), STEPS.length - 1);
  const isLast = at === STEPS.length - 1;
  const leave = () => {
    wish({ walked: true });
    onLeave();
  };
  return (
    <section
      aria-label="A walk through the desk"
      className="fixed bottom-24 left-4 z-30 w-80 rounded-xl border border-ink bg-sheet p-4 shadow-xl"
    >
      <p className="mb-1 text-[13px] text-faded">
        Step {at + 1} of {STEPS.length}
      </p>
      <div aria-live="polite">
        <h2 className="font-mark text-xl italic">{STEPS[at]!.does}</h2>
        <p className="mt-1">{STEPS[at]!.how}</p>
      </div>
      <div className="mt-3 flex items-center gap-2">
        {isLast ? (
          <>
            <button type="button" className="key key-warm" onClick={leave}>
              Done
            </button>
            <Link to="/guide" className="key" onClick={leave}>
              The guide has more
            </Link>
          </>
        ) : (
          <>
            <button type="button" className="key" onClick={() => setSkipped(at + 1)}>
              Next
            </button>
            <button type="button" className="key key-plain text-faded" onClick={leave}>
              Leave the walk
            </button>
          </>
        )}
      </div>
    </section>
  );
}
