/** The history as the desk holds it: every answer to a change tells what that has changed of it, and no more. */
import type { History, Schemas } from "../../api/client";

/** The history after a change. */
export function historyAfter(before: History, change: Schemas["HistoryChange"]): History {
  const { changed, gone, undone, still_undone, ...counts } = change;
  const other = new Set([...gone, ...changed.map(({ number }) => number)]);
  const strokes = [...before.strokes.filter(({ number }) => !other.has(number)), ...changed];
  return {
    ...counts,
    strokes: strokes.sort((a, b) => a.number - b.number),
    undone: [...undone, ...before.undone.slice(before.undone.length - still_undone)],
  };
}
