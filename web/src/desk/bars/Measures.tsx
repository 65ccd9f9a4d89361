import { firstAbove, type PartScore, placeOf, type Score } from "../../score/score";
import { usePlayer } from "../../sound/player";
import { partName, rowName } from "../take/arranging";
import { desk, frontParts } from "../take/state";

/** The bars of the page as a list that is read out: each with its notes, part by part, in the order of time. */
export function Measures({ first, count }: { first: number; count: number }) {
  const isBefore = usePlayer((state) => state.before);
  const { score } = desk();
  if (!score) return null;
  const parts = frontParts();
  return (
    // The page may show what was before: the list tells the take as it is, and says so.
    <ol className="sr-only" aria-label={isBefore ? "Measures, as they are now" : "Measures"}>
      {Array.from({ length: count }, (_, at) => first + at).map((bar) => (
        <li key={bar}>
          {`Bar ${bar}. ${parts
            .map((part) => {
              const notes = notesIn(score, part, bar);
              return `${parts.length > 1 ? `${partName(part)}: ` : ""}${notes.join(", ") || "nothing begins"}`;
            })
            .join(". ")}`}
        </li>
      ))}
    </ol>
  );
}

/** The notes that begin in a bar (from 1): the beat, where it is another than the last one's, and the note. */
function notesIn(score: Score, part: PartScore, bar: number): string[] {
  const { start, beat_ticks } = score.bars;
  const ticks = beat_ticks[Math.min(bar, start.length) - 1]!;
  const [from, to] = [start[bar - 1] ?? score.end, start[bar] ?? Number.POSITIVE_INFINITY];
  const said: string[] = [];
  let last = "";
  for (let row = firstAbove(part.start, from - 1); row < part.start.length && part.start[row]! < to; row++) {
    const { beat, rest } = placeOf(score, part.start[row]!);
    const place = `beat ${beat}${rest ? ` and ${Math.round((rest / ticks) * 100)} hundredths` : ""}`;
    const name = rowName(part, part.pitch[row]!);
    said.push(place === last ? name : `${place} ${name}`);
    last = place;
  }
  return said;
}
