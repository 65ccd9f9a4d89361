import { useEffect, useRef, useState } from "react";
import { specOf } from "../../api/strokes";
import { VELOCITY, wordOf } from "../../score/lanes";
import { earlyTicks, placeOf, placeText } from "../../score/score";
import { usePlayer } from "../../sound/player";
import { partName, rowName } from "../take/arranging";
import { desk, frontParts, kindOf, useDesk } from "../take/state";

/** What is chosen, in words, for those who do not see the page. */
export function Spoken() {
  const chosen = useDesk((state) => state.chosen);
  const count = useDesk((state) => state.chosenCount);
  const words = chosenWords(chosen, count);
  const heard = useWhatIsHeard();
  const done = useWhatWasDone();
  return (
    <>
      <p className="sr-only" aria-live="polite">
        {words}
      </p>
      <p className="sr-only" aria-live="polite" data-testid="done">
        {done}
      </p>
      <p className="sr-only" aria-live="polite" data-testid="heard">
        {heard}
      </p>
    </>
  );
}

/** What is chosen: one note by all that it has, more by how many of which parts, and where. */
function chosenWords(chosen: readonly Uint8Array[], count: number): string {
  const { score, layers } = desk();
  if (!score || !count) return "";
  const found = frontParts().flatMap((part) => {
    const mask = chosen[part.id]!;
    const first = mask.indexOf(1);
    return first < 0 ? [] : [{ part, first, last: mask.lastIndexOf(1) }];
  });
  const [one] = found;
  if (!one) return "";
  const { part, first } = one;
  if (count === 1) {
    const velocity = layers.kept.velocities[part.id]![first]!;
    return `${rowName(part, part.pitch[first]!)}, bar ${placeText(score, part.start[first]!)}, velocity ${velocity}, ${wordOf(kindOf(VELOCITY), velocity)}`;
  }
  // What was played a little early belongs to the bar that it was meant for.
  const barOf = (tick: number) => placeOf(score, tick + earlyTicks(score)).bar;
  const from = barOf(Math.min(...found.map((each) => each.part.start[each.first]!)));
  const to = barOf(Math.max(...found.map((each) => each.part.start[each.last]!)));
  const names = found.map((each) => partName(each.part)).join(" and ");
  return `${count} notes of ${names} chosen, ${from === to ? `bar ${from}` : `bars ${from} to ${to}`}`;
}

/** Before or after, and which parts are heard alone, where that has just been changed. */
function useWhatIsHeard(): string {
  const before = usePlayer((state) => state.before);
  const soloed = usePlayer((state) => state.soloed);
  const last = useRef({ before, soloed });
  const [words, setWords] = useState("");
  useEffect(() => {
    const was = last.current;
    last.current = { before, soloed };
    if (was.before !== before) setWords(before ? "Before is heard and seen" : "After is heard and seen");
    else if (was.soloed.join() !== soloed.join()) {
      const names = soloed
        .map((id) => desk().score?.parts[id])
        .flatMap((part) => (part ? [partName(part)] : []));
      setWords(names.length ? `${names.join(" and ")} alone` : "All parts");
    }
  }, [before, soloed]);
  return words;
}

/** What the last step did to the take, in words: kept, changed or undone, and on how many notes. */
function useWhatWasDone(): string {
  const history = useDesk((state) => state.history);
  const tried = useDesk(({ shaping }) => (shaping?.number === null ? shaping.stroke.kind : null));
  const takeId = useDesk((state) => state.score?.id);
  const before = useRef({ takeId, history });
  const [words, setWords] = useState("");
  useEffect(() => {
    const { takeId: lastId, history: was } = before.current;
    before.current = { takeId, history };
    if (takeId !== lastId || history.revision <= was.revision) return;
    const newest = history.strokes[history.strokes.length - 1];
    if (history.can_undo < was.can_undo) setWords(`Undone: ${history.undone[0]?.label ?? "a step"}`);
    else if (history.can_redo < was.can_redo && history.can_redo > 0) setWords("Done again");
    else if (newest && history.strokes.length > was.strokes.length)
      setWords(`Kept: ${newest.mark.label}, ${newest.mark.place}, on ${newest.mark.count}`);
    else if (history.strokes.length < was.strokes.length) setWords("Deleted");
    else setWords("Changed");
  }, [history, takeId]);
  // What is tried is told of once, when it is begun.
  useEffect(() => {
    if (tried) setWords(`${specOf(tried).name} is tried: Enter keeps it, Escape drops it`);
  }, [tried]);
  return words;
}
