/** One note opened large, with all of its curves over its own time; its neighbours are dimmed. */
import { idOfRow, type PartScore, rowOfId } from "../../score/score";
import { GUTTER, held } from "../page/camera";
import { chooseIn } from "./choosing";
import { desk, leadPart, look, set } from "./state";

/** The note takes so much of the width; the rest shows what is beside it. */
const SHARE = 0.86;
/** It lies in the middle, with at least so many rows above and below. */
const ROWS = 14;

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
  look((now, score) => {
    const length = Math.max(part.end[row] - part.start[row], 1);
    const perTick = ((now.width - GUTTER) * SHARE) / length;
    const left = part.start[row] - (length * (1 - SHARE)) / 2 / SHARE;
    const tall = Math.max(now.notesHeight / ROWS, 4);
    const place = now.rowOf[part.pitch[row]];
    return held({ ...now, perTick, left: Math.max(left, 0), row: tall, top: place + ROWS / 2 }, score);
  });
}

/** The chosen note, or the first of the chosen. */
export function closeUpOfChosen(): void {
  const { chosen } = desk();
  const part = leadPart();
  const row = part ? chosen[part.id].indexOf(1) : -1;
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
