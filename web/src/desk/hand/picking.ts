/** Finding notes under the pointer, and choosing them by pressing and by drawing round them. */

import { gridTicks, nearestLine, noneOf, type PartScore, sounding } from "../../score/score";
import { between } from "../../ui/numbers";
import { pitchOf, tickOf, xOf, yOfPitch } from "../page/camera";
import { choose, chooseIn, chooseNone, chooseSpan } from "../take/choosing";
import { forgetSound, soundNote } from "../take/hearing";
import { desk, frontParts, keptVelocities, set, velocityLevels } from "../take/state";
import type { Grip } from "./grip";

const REACH = 8;
const BEAD_REACH = 9;

export interface Hit {
  part: PartScore;
  note: number;
}

/** The velocity at a height of its lane. */
export function velocityAt(y: number): number {
  const { valueAt, low, high } = velocityLevels();
  return between(Math.round(valueAt(y)), low, high);
}

/** The note under the pointer, of the parts in front; on the lane by its bead and its dash, or by its bead alone. */
export function noteAt(stave: "notes" | "lane" | "bead", x: number, y: number): Hit | null {
  const { camera, voice } = desk();
  const velocities = keptVelocities();
  const levels = velocityLevels();
  let best: Hit | null = null;
  let nearest = Number.POSITIVE_INFINITY;
  for (const part of frontParts()) {
    const [from, to] = sounding(part, tickOf(camera, x - BEAD_REACH), tickOf(camera, x + BEAD_REACH));
    for (let note = from; note < to; note++) {
      if (voice !== null && part.pitch[note] !== voice) continue;
      const left = xOf(camera, part.start[note]!);
      const right = Math.max(xOf(camera, part.end[note]!), left + 6);
      let distance: number;
      if (stave === "notes") {
        if (x < left - 2 || x > right || part.pitch[note] !== pitchOf(camera, y)) continue;
        distance = Math.abs(x - left) / 1000;
      } else {
        const level = levels.yOf(velocities[part.id]![note]!);
        const onBead = Math.hypot(x - left, y - level);
        const onDash =
          stave === "lane" && x >= left && x <= right ? Math.abs(y - level) + 3 : Number.POSITIVE_INFINITY;
        distance = Math.min(onBead, onDash);
        if (distance > BEAD_REACH) continue;
      }
      if (distance < nearest) {
        nearest = distance;
        best = { part, note };
      }
    }
  }
  return best;
}

export function choosePressed({ part, note }: Hit, add: boolean): void {
  soundNote(part, note, keptVelocities()[part.id]![note]!);
  if (!add) {
    const mask = new Uint8Array(part.start.length);
    mask[note] = 1;
    chooseIn(part, mask);
    return;
  }
  const chosen = [...desk().chosen];
  chosen[part.id] = chosen[part.id]!.slice();
  chosen[part.id]![note] = 1 - chosen[part.id]![note]!;
  choose(chosen);
}

function marquee(stave: "notes" | "lane", x0: number, y0: number, add: boolean): Grip {
  const { score } = desk();
  const base = add || !score ? desk().chosen : noneOf(score);
  return {
    move(x1, y1) {
      const { camera, voice } = desk();
      const velocities = keptVelocities();
      const levels = velocityLevels();
      set({ box: { stave, x0, y0, x1, y1 } });
      const [left, right] = x0 < x1 ? [x0, x1] : [x1, x0];
      const [top, bottom] = y0 < y1 ? [y0, y1] : [y1, y0];
      const chosen = [...base];
      for (const part of frontParts()) {
        const mask = base[part.id]!.slice();
        const [from, to] = sounding(part, tickOf(camera, left), tickOf(camera, right));
        for (let note = from; note < to; note++) {
          if (voice !== null && part.pitch[note] !== voice) continue;
          const onset = xOf(camera, part.start[note]!);
          const level =
            stave === "notes"
              ? yOfPitch(camera, part.pitch[note]!) + camera.row / 2
              : levels.yOf(velocities[part.id]![note]!);
          const half = stave === "notes" ? camera.row / 2 : 3;
          const reaches = stave === "notes" ? xOf(camera, part.end[note]!) >= left : onset >= left;
          if (reaches && onset <= right && level + half >= top && level - half <= bottom) mask[note] = 1;
        }
        chosen[part.id] = mask;
      }
      choose(chosen);
    },
    done() {
      set({ box: null });
    },
  };
}

/** A click chooses the note under it or lets go; a drag chooses what it goes round. */
export function choiceGrip(stave: "notes" | "lane", x: number, y: number, event: PointerEvent): Grip {
  const hit = noteAt(stave, x, y);
  forgetSound();
  const sweep = marquee(stave, x, y, event.shiftKey);
  return {
    move: sweep.move,
    done(moved, up) {
      if (moved) sweep.done(moved, up);
      else if (hit) choosePressed(hit, event.shiftKey);
      else if (!event.shiftKey) {
        chooseNone();
        chooseSpan(null);
      }
    },
  };
}

export interface Edge {
  tick: number;
  /** Whether it is a note that the edge is drawn to, not a line between notes. */
  onNote: boolean;
}

/** The onsets, and then the lines, that an end of a hairpin is drawn to when it comes near. */
export function drawnTo(x: number, free: boolean): Edge {
  const { camera, chosen, chosenCount, score, span, grid } = desk();
  const tick = Math.max(Math.round(tickOf(camera, x)), 0);
  if (free === grid.snap) return { tick, onNote: false };
  const within = REACH / camera.perTick;
  let best: Edge = { tick, onNote: false };
  let nearest = within;
  const consider = (at: number, onNote = false) => {
    if (Math.abs(at - tick) <= nearest) {
      nearest = Math.abs(at - tick);
      best = { tick: at, onNote };
    }
  };
  for (const part of frontParts()) {
    const [from, to] = sounding(part, tick - within, tick + within);
    for (let note = from; note < to; note++) {
      const isMeant = !chosenCount || chosen[part.id]![note]!;
      const inSpan = !span || (part.start[note]! >= span[0] && part.start[note]! < span[1]);
      if (isMeant && inSpan) consider(part.start[note]!, true);
    }
  }
  // A note that was chosen is meant, though a line is as near; otherwise the line ends what comes before it.
  if (best.onNote && chosenCount) return best;
  for (const edge of span ?? []) consider(edge);
  if (score && gridTicks(score, grid) * camera.perTick > REACH) consider(nearestLine(score, tick, grid));
  return best;
}
