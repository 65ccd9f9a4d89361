/** What was meant and is not written yet outlives the page: it is kept in the tab, and taken up when the take is open again. */
import { onSignedOut, type Stroke } from "../../api/client";
import { keepAgain, preview, unwritten } from "./shaping";
import { desk, set } from "./state";

interface Left {
  takeId: string;
  /** The history's, when it was left: where it is another, what was meant may have been written after all. */
  revision: number;
  meant: Unwritten[];
  open: Unwritten | null;
}

/** A stroke, and its number where it is one of the history. */
export interface Unwritten {
  stroke: Stroke;
  number: number | null;
}

const PLACE = "lull.unsaved";

function leave(): void {
  const { score, history } = desk();
  const { meant, open } = unwritten();
  if (!score || (!meant.length && !open)) return;
  const left: Left = { takeId: score.id, revision: history.revision, meant, open };
  sessionStorage.setItem(PLACE, JSON.stringify(left));
}

/** Take up what was left when the page went. */
export function takeUp(): void {
  const { score, history } = desk();
  const kept = sessionStorage.getItem(PLACE);
  if (!kept || !score) return;
  const { takeId, revision, meant, open }: Left = JSON.parse(kept);
  if (takeId !== score.id) return;
  sessionStorage.removeItem(PLACE);
  const known = new Set(history.strokes.map((one) => plain(one.stroke)));
  const missing =
    revision === history.revision ? meant : meant.filter((one) => !known.has(plain(one.stroke)));
  for (const { stroke, number } of missing) void keepAgain(stroke, number);
  if (
    open &&
    !missing.length &&
    (open.number === null || history.strokes.some((one) => one.number === open.number))
  ) {
    preview(open.stroke, undefined, undefined, open.number);
  }
  if (missing.length || open)
    set({ notice: { text: "What was not saved when the page was left is here again." } });
}

/** The same text for the same stroke, in whatever order its fields stand. */
function plain(stroke: unknown): string {
  return JSON.stringify(stroke, (_, value) =>
    value && typeof value === "object" && !Array.isArray(value)
      ? Object.fromEntries(Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1)))
      : value,
  );
}

/** From now on nothing that is not written is lost with the page, and leaving it is asked about. The result ends this. */
export function watchLeaving(): () => void {
  let isOut = false;
  const ends = onSignedOut(() => {
    // What was meant is told before it fails; and nobody is asked whether to go where there is no staying.
    if (!isOut) leave();
    isOut = true;
  });
  const warn = (event: BeforeUnloadEvent) => {
    if (!isOut && unwritten().meant.length) event.preventDefault();
  };
  const go = () => {
    if (!isOut) leave();
  };
  window.addEventListener("beforeunload", warn);
  window.addEventListener("pagehide", go);
  return () => {
    ends();
    window.removeEventListener("beforeunload", warn);
    window.removeEventListener("pagehide", go);
  };
}
