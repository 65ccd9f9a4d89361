/** Hearing what is touched: a note as it is chosen or moved, the phrase that a gesture shapes while it is held. */

import { type PartScore, secondsAt } from "../../score/score";
import { player } from "../../sound/player";
import { desk } from "./state";

let last = "";

/** Sound a note at a velocity; the same one at the same velocity is not struck again until something else was. */
export function soundNote(part: PartScore, note: number, velocity: number): void {
  if (!desk().wishes.sounds) return;
  const touched = `${part.id} ${note} ${velocity}`;
  if (touched === last) return;
  last = touched;
  void player.tap(part.id, part.pitch[note]!, velocity);
}

export function forgetSound(): void {
  last = "";
}

let held = false;

/** What the open stroke acts on goes round and round while it is dragged, with the values of the moment. */
export function holdPhrase(): void {
  held = true;
  rehearse();
}

function rehearse(): void {
  const { shaping, score, wishes } = desk();
  const mark = shaping?.mark;
  if (!wishes.sounds || !score || !mark || mark.count === 1 || mark.end <= mark.start) return;
  player.rehearse(secondsAt(score, mark.start), secondsAt(score, mark.end));
}

export function releasePhrase(): void {
  held = false;
  player.endRehearsal();
  forgetSound();
}

/** It is known anew what the open stroke does. */
export function hearAgain(): void {
  if (held) rehearse();
  player.hearAgain();
}
