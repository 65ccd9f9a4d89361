/** Phrases of the leading part: choosing their notes, and saying by hand where one begins. */
import type { Stroke } from "../../api/client";
import { plain, specOf } from "../../api/strokes";
import { firstAbove, type PartScore } from "../../score/score";
import { choose, chooseIn } from "./choosing";
import { apply, deleteStroke } from "./shaping";
import { desk, leadPart, set } from "./state";

/** Which notes belong to a phrase. */
function notesOf({ phrases, start }: PartScore, row: number): Uint8Array {
  const [from, to] = [phrases[row]!.start, phrases[row + 1]?.start ?? Number.POSITIVE_INFINITY];
  return Uint8Array.from(start, (tick) => (tick >= from && tick < to ? 1 : 0));
}

/** The notes of a phrase, alone or with those that are chosen. */
export function choosePhrase(part: PartScore, row: number, add = false): void {
  const mask = notesOf(part, row);
  if (!add) {
    chooseIn(part, mask);
    return;
  }
  const chosen = [...desk().chosen];
  chosen[part.id] = mask.map((one, note) => one | chosen[part.id]![note]!);
  choose(chosen);
}

/** Which phrase a tick lies in; before the first the first. */
export function phraseAt({ phrases }: PartScore, tick: number): number {
  const after = phrases.findIndex(({ start }) => start > tick);
  return Math.max((after < 0 ? phrases.length : after) - 1, 0);
}

/** The phrase in which the choice lies; once all of it is chosen, the next, or the one before. */
export function stepPhrase(by: 1 | -1): void {
  const part = leadPart();
  if (!part?.phrases.length) return;
  const mask = desk().chosen[part.id]!;
  const first = mask.indexOf(1);
  const row = first < 0 ? -1 : phraseAt(part, part.start[first]!);
  const isWhole = row < 0 || notesOf(part, row).every((one, note) => !one || mask[note] === 1);
  const from = row < 0 && by < 0 ? part.phrases.length : row;
  const wanted = isWhole ? from + by : row;
  if (part.phrases[wanted]) choosePhrase(part, wanted);
}

/** The onset of the part that is nearest to a tick, or so many onsets away from it. */
export function onsetNear({ start }: PartScore, tick: number, steps = 0): number | undefined {
  const after = firstAbove(start, tick);
  let near = after;
  if (after > 0 && !(start[after]! - tick < tick - start[after - 1]!)) near = after - 1;
  let onset = start[near];
  // Notes of a chord that begin together are one onset.
  for (let left = Math.abs(steps); left && onset !== undefined; left--)
    onset = steps > 0 ? start[firstAbove(start, onset)] : start[firstAbove(start, onset - 1) - 1];
  return onset;
}

/** A phrase begins there, and nothing else between the two. What was shaped by phrases before can be shaped anew. */
async function mark(part: PartScore, from: number, to: number, bounds: readonly number[]): Promise<void> {
  const span: [number, number] = [Math.min(from, to), Math.max(from, to) + 1];
  const shaped = desk().history.strokes.filter(({ on, stroke }) => on && isByPhrase(part, stroke));
  await apply(plain("phrase.mark", { bounds: [...bounds], where: { parts: [part.id], span } }));
  const run = async () => {
    for (const { number, stroke } of shaped) {
      await deleteStroke(number);
      await apply(stroke);
    }
  };
  if (shaped.length && !desk().notice)
    set({
      notice: {
        text: "What was shaped by phrases before this stays as it is.",
        action: { label: "Shape it anew", run: () => void run() },
      },
    });
}

/** Whether a stroke goes by where the phrases of a part begin. */
const isByPhrase = ({ id }: PartScore, { kind, where }: Stroke): boolean =>
  (specOf(kind).by_phrase === true || !!where?.each) && (where?.parts?.includes(id) ?? true);

/** A phrase begins elsewhere; it cannot pass the ones beside it. */
export function movePhrase(part: PartScore, row: number, tick: number): void {
  const { phrases } = part;
  const [from, before] = [phrases[row]!.start, phrases[row - 1]?.start];
  const to = onsetNear(part, tick);
  if (to === undefined || to === from || before === undefined || to <= before) return;
  if (to < (phrases[row + 1]?.start ?? Number.POSITIVE_INFINITY)) void mark(part, from, to, [to]);
}

/** A phrase goes on from the one before. */
export function joinPhrase(part: PartScore, row: number): void {
  const at = part.phrases[row]!.start;
  if (row > 0) void mark(part, at, at, []);
}

/** A phrase begins at the note that is nearest. */
export function splitPhrase(part: PartScore, tick: number): void {
  const at = onsetNear(part, tick);
  if (at !== undefined && !part.phrases.some(({ start }) => start === at)) void mark(part, at, at, [at]);
}
