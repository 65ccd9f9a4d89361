/** Notes by their numbers, and by the arrow keys. */
import { plain } from "../../api/strokes";
import { gridTicks, nearestLine, type PartScore, tickAt } from "../../score/score";
import { player } from "../../sound/player";
import { close, keep, letGo, preview } from "../take/shaping";
import { desk, keptVelocities, leadPart } from "../take/state";
import { begin } from "./opening";
import { chosenWhere, reachOfChosen } from "./places";

const under = () => desk().travels;

/** A note by its numbers: at the playhead, as long as the grid, where the part was last. */
export function beginNote(): void {
  const { score, grid } = desk();
  const part = leadPart();
  if (!score || !part) return;
  const head = tickAt(score, player.position());
  const start = grid.snap ? nearestLine(score, head, grid) : Math.round(head);
  const row = nearestRow(part, start);
  const pitch = row < 0 ? 60 : part.pitch[row]!;
  const velocity = row < 0 ? 80 : keptVelocities()[part.id]![row]!;
  const length = Math.round(gridTicks(score, grid));
  begin(plain("notes.add", { where: { parts: [part.id] }, notes: [{ start, length, pitch, velocity }] }));
}

function nearestRow(part: PartScore, tick: number): number {
  let best = -1;
  for (let row = 0; row < part.start.length && (best < 0 || part.start[row]! <= tick); row++) best = row;
  return best;
}

// ---- by the arrow keys

/** Chosen notes so many steps of the grid later and so many keys higher: pressed again, the same stroke goes on. */
export function step(times: number, keys: number): void {
  const { score, grid, shaping } = desk();
  const where = chosenWhere();
  const extent = reachOfChosen();
  if (!score || !where || !extent) return;
  const open = shaping?.number === null && shaping.stroke.kind === "notes.move" ? shaping.stroke : null;
  const ticks = Math.max((open?.ticks ?? 0) + times * Math.round(gridTicks(score, grid)), -extent.start);
  const up = Math.min(Math.max((open?.keys ?? 0) + keys, -extent.lowest), 127 - extent.highest);
  if (!open) close();
  preview(plain("notes.move", { where, ticks, keys: up, under: under() }));
  settleSoon();
}

/** Chosen notes so many steps of the grid longer. */
export function lengthen(times: number): void {
  const { score, grid, shaping } = desk();
  const where = chosenWhere();
  if (!score || !where) return;
  const open = shaping?.number === null && shaping.stroke.kind === "notes.length" ? shaping.stroke : null;
  const by = (open?.by ?? 0) + (times * gridTicks(score, grid)) / score.resolution;
  if (!open) close();
  preview(plain("notes.length", { where, by, page: true, under: under() }));
  settleSoon();
}

let settling = 0;
const SETTLED_MS = 500;

/** Keys that follow one another make one stroke; it is kept once they rest. */
function settleSoon(): void {
  window.clearTimeout(settling);
  settling = window.setTimeout(() => {
    const { shaping } = desk();
    if (shaping?.number !== null || !shaping) return;
    if (shaping.problem) letGo();
    else if (shaping.stroke.kind === "notes.move" || shaping.stroke.kind === "notes.length") void keep();
  }, SETTLED_MS);
}
