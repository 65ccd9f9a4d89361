/** One note opened large, with all of its curves over its own time; its neighbours are dimmed. */
import { NOTE_PITCH } from "../../score/own";
import { rowOfId } from "../../score/part";
import { idOfRow, type PartScore } from "../../score/score";
import { between } from "../../ui/numbers";
import { GUTTER, held } from "../page/camera";
import { chooseIn } from "./choosing";
import { desk, leadPart, look, set, useDesk } from "./state";

/** The note takes so much of the width; the rest shows what is beside it. */
const SHARE = 0.86;
/** It lies in the middle, with so many rows for where its pitch goes: as few as that takes, so that they are tall. */
const ROWS_BESIDE = 4;
const [FEWEST_ROWS, MOST_ROWS] = [7, 48];

/** Open the note of a row of the leading part, or step to it. */
export function openCloseUp(row: number): void {
  const part = leadPart();
  if (!part || row < 0 || row >= part.start.length) return;
  const { closeUp, camera } = desk();
  set({
    closeUp: { part: part.id, id: idOfRow(part, row), camera: closeUp?.camera ?? camera },
    rowsFit: false,
  });
  const mask = new Uint8Array(part.start.length);
  mask[row] = 1;
  chooseIn(part, mask);
  fill(part, row);
}

/** The note fills the stage. */
function fill(part: PartScore, row: number): void {
  look((now, score) => {
    const length = Math.max(part.end[row]! - part.start[row]!, 1);
    const perTick = ((now.width - GUTTER) * SHARE) / length;
    const left = part.start[row]! - (length * (1 - SHARE)) / 2 / SHARE;
    const pitches = desk().layers.kept.lanes.get(NOTE_PITCH)?.notes?.get(idOfRow(part, row));
    const [low, high] = pitches ? [Math.min(pitches.lowest, 0), Math.max(pitches.highest, 0)] : [0, 0];
    const rows = between(Math.ceil(high - low) + ROWS_BESIDE, FEWEST_ROWS, MOST_ROWS);
    const tall = Math.max(now.notesHeight / rows, 4);
    const top = now.rowOf[part.pitch[row]!]! + (high + low) / 2 + rows / 2;
    return held({ ...now, perTick, left: Math.max(left, 0), row: tall, top }, score);
  });
}

// What gives way to a close-up leaves it more room a moment later.
useDesk.subscribe(({ closeUp, camera, score }, before) => {
  const part = closeUp && score?.parts[closeUp.part];
  if (part && camera.notesHeight !== before.camera.notesHeight) fill(part, rowOf(part, closeUp.id));
});

/** The chosen note, or the first of the chosen. */
export function closeUpOfChosen(): void {
  const { chosen } = desk();
  const part = leadPart();
  const row = part ? chosen[part.id]!.indexOf(1) : -1;
  if (row < 0) set({ notice: { text: "Choose a note; then it can be opened large." } });
  else openCloseUp(row);
}

/** To the next note, or the one before; whether one is open at all. */
export function stepCloseUp(by: number): boolean {
  const { closeUp } = desk();
  const part = leadPart();
  if (!closeUp || !part) return false;
  openCloseUp(rowOf(part, closeUp.id) + by);
  return true;
}

const rowOf = (part: PartScore, id: number) => rowOfId(part, id);

/** Back to where the page was; whether there was one open. */
export function leaveCloseUp(): boolean {
  const { closeUp } = desk();
  if (!closeUp) return false;
  set({ closeUp: null });
  look((now, score) => {
    const { left, perTick, row, top } = closeUp.camera;
    return held({ ...now, left, perTick, row, top }, score);
  });
  return true;
}
