/** Beginning strokes on the curves of notes: on those that are chosen, or on all of the leading part. */
import type { Mark } from "../../api/client";
import { type Of, plain } from "../../api/strokes";
import { NOTE_PITCH } from "../../score/own";
import { rowOfId } from "../../score/part";
import { idOfRow, secondsAt } from "../../score/score";
import { type Thread, threadsOf } from "../../score/threads";
import { between, rounded } from "../../ui/numbers";
import { chosenOfLead } from "../take/choosing";
import { desk, keptLane, leadPart, set } from "../take/state";
import { beginOn } from "./opening";

export const ownWhere = chosenOfLead;

/** From the first of the chosen notes that has a curve to the others. */
export function beginGive(lane: string): void {
  const part = leadPart();
  const curves = keptLane(lane)?.notes;
  const { chosen } = desk();
  if (!part) return;
  const source = Array.from(chosen[part.id] ?? [])
    .flatMap((is, row) => (is ? [idOfRow(part, row)] : []))
    .find((id) => curves?.has(id));
  if (source === undefined) {
    set({
      notice: { text: "Choose a note that has a curve here, and those that are to have it (Shift adds)." },
    });
    return;
  }
  beginOn(lane, plain("note.copy", { lane, where: ownWhere(), source }));
}

/** Chord into chord, through all that are chosen. */
export function beginGlide(): void {
  const { chosenCount } = desk();
  if (chosenCount < 2) {
    set({ notice: { text: "Choose two chords or more that follow one another: their voices glide." } });
    return;
  }
  beginOn(NOTE_PITCH, plain("note.glide", { where: ownWhere() }));
}

/** Other threads than those there were: one that is hung on another note gives that one's to the note it had. */
export function hung(
  stroke: Of<"note.glide">,
  mark: Mark | null,
  thread: Thread,
  onto: number,
): Of<"note.glide"> {
  const swapped: Record<number, number> = { [thread.other]: onto, [onto]: thread.other };
  return { ...stroke, pairs: threadsOf(mark).map(({ one, other }) => [one, swapped[other] ?? other]) };
}

/** One voice of chord into chord leaves at a tick: within its note by a share of it, later by the clock. */
export function leavingAt(stroke: Of<"note.glide">, thread: Thread, tick: number): Of<"note.glide"> {
  const { score } = desk();
  const part = leadPart();
  const row = part ? rowOfId(part, thread.one) : -1;
  if (!score || !part || row < 0) return stroke;
  const begins = part.start[row]!;
  const share = (tick - begins) / Math.max(thread.struck - begins, 1);
  const late = (secondsAt(score, tick) - secondsAt(score, thread.struck)) * 1000;
  return ownWay(stroke, thread, { start: between(share, 0, 1), late_ms: between(late, 0, 60_000) });
}

/** One voice of chord into chord is there at a tick. */
export function thereAt(stroke: Of<"note.glide">, thread: Thread, tick: number): Of<"note.glide"> {
  const quarter = desk().score?.resolution ?? 1;
  return ownWay(stroke, thread, { time: Math.max((tick - thread.leaves) / quarter, 0.01) });
}

/** One voice of chord into chord goes in its own way, in some of its numbers. */
export function ownWay(stroke: Of<"note.glide">, thread: Thread, numbers: OwnWay): Of<"note.glide"> {
  const { voices = [] } = stroke;
  const mine = { ...voices.find(({ note }) => note === thread.one), note: thread.one };
  for (const [name, number] of Object.entries(numbers)) mine[name as keyof OwnWay] = rounded(number, 4);
  return { ...stroke, voices: [...voices.filter(({ note }) => note !== thread.one), mine] };
}

type OwnWay = { start?: number; time?: number; late_ms?: number; lift?: number };
