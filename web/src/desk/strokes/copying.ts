/** Copies: of notes with what lies under them, and of stretches of a lane; put down where the playhead stands. */
import type { Where } from "../../api/client";
import { plain } from "../../api/strokes";
import { VELOCITY } from "../../score/lanes";
import {
  maskOf,
  nearestLine,
  placeOf,
  reached,
  type Score,
  secondsAt,
  tickAt,
  tickOfPlace,
} from "../../score/score";
import { player, usePlayer } from "../../sound/player";
import { count } from "../../ui/words";
import { selected } from "../take/choosing";
import { apply } from "../take/shaping";
import { desk, frontParts, set } from "../take/state";
import { begin } from "./opening";
import { firstOnset } from "./places";

/** The chosen notes, or those of the span while Shape acts on velocity; with only the parts that hold any. */
function chosenNotes(): { where: Where; notes: number } | null {
  const { chosenCount, activeLane } = desk();
  const where = selected();
  if (!where || (!chosenCount && activeLane !== VELOCITY)) return null;
  let notes = 0;
  const parts = frontParts().filter((part) => {
    const count = reached(part, where).reduce((sum, one) => sum + one, 0);
    notes += count;
    return count > 0;
  });
  return { where: { ...where, parts: parts.map(({ id }) => id).sort((a, b) => a - b) }, notes };
}

/** Remember the chosen notes; or the span of the lane that Shape acts on. */
export function remember(): void {
  const { span, activeLane, fronts } = desk();
  const found = chosenNotes();
  if (found?.notes) {
    set({
      copied: { where: found.where, from: firstOnset(found.where) },
      notice: {
        text: `${count(found.notes, "note")} copied. Paste puts them down at the playhead, or where another span begins.`,
      },
    });
  } else if (span && activeLane !== VELOCITY) {
    set({
      copied: { lane: activeLane, part: fronts[0]!, span },
      notice: {
        text: "The span of the lane is copied. Paste puts it down at the playhead, or where another span begins.",
      },
    });
  } else set({ notice: { text: "Choose notes to copy, or a span on a lane." } });
}

let pasting: Promise<void> = Promise.resolve();

/** Put down what was copied, and go on behind it, so that the next paste follows, however soon it comes. */
export function paste(): Promise<void> {
  pasting = pasting.then(putDown);
  return pasting;
}

async function putDown(): Promise<void> {
  const { copied, score, fronts, activeLane, grid, history } = desk();
  if (!score || !copied) {
    set({ notice: { text: "Nothing is copied yet: choose notes, or a span on a lane, and copy." } });
    return;
  }
  const from = "lane" in copied ? copied.span[0] : copied.from;
  const other = desk().span?.[0];
  const head = Math.round(tickAt(score, player.position()));
  const wanted = other === undefined || other === from ? head : other;
  // On the grid as it was on the grid: what came a little early or late does so again.
  const at = Math.max(
    grid.snap ? nearestLine(score, wanted, grid) + from - nearestLine(score, from, grid) : wanted,
    0,
  );
  if ("lane" in copied) {
    const lane = activeLane === VELOCITY ? copied.lane : activeLane;
    const where = { parts: [copied.part], span: copied.span };
    await apply(plain("lane.copy", { lane: copied.lane, where, to: { part: fronts[0], lane, at } }));
  } else {
    const parts = copied.where.parts ?? [];
    const part = parts.length === 1 && !fronts.includes(parts[0]!) ? fronts[0] : null;
    await apply(
      plain("notes.copy", {
        under: desk().travels,
        where: copied.where,
        to: { part, at },
      }),
    );
  }
  const now = desk();
  const made = now.history.strokes.at(-1);
  const { playing } = usePlayer.getState();
  if (now.score && made && !playing && now.history.revision !== history.revision)
    player.rest(secondsAt(now.score, made.mark.end));
}

/** The chosen notes once more: in the same place of the bar, after the bars that they fill now. */
export function copyNotes(): void {
  const { score } = desk();
  const found = chosenNotes();
  if (!score || !found) return;
  begin(
    plain("notes.copy", {
      under: desk().travels,
      where: found.where,
      to: { part: null, at: behind(score, found.where) },
    }),
  );
}

function behind(score: Score, where: Where): number {
  const first = firstOnset(where);
  if (where.span) {
    const [from = 0, to = 0] = where.span.map((tick) => nearestLine(score, tick, desk().grid));
    return first + to - from;
  }
  let last = first;
  for (const part of frontParts()) {
    maskOf(part, where.notes ?? []).forEach((one, note) => {
      if (one) last = Math.max(last, part.end[note]! - 1);
    });
  }
  const [from, to] = [placeOf(score, first).bar, placeOf(score, last).bar + 1];
  return first + tickOfPlace(score, to, 1) - tickOfPlace(score, from, 1);
}
