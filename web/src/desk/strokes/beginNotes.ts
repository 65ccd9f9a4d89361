/** Beginning strokes on notes themselves: on those that are chosen, or on those of the span. */
import type { Where } from "../../api/client";
import { gridTicks, nearestLine, type PartScore, reached, tickAt } from "../../score/score";
import { player } from "../../sound/player";
import { selected } from "../take/choosing";
import { apply, keep, letGo, preview } from "../take/shaping";
import { desk, frontParts, keptVelocities, leadPart, set } from "../take/state";
import { anotherRoll, begin } from "./begin";
import { type Kind, type Of, plain } from "./entry";

export type OnNotes = Extract<Kind, `notes.${string}`>;

/** What is chosen, as a stroke names it: notes stay chosen wherever they go. */
export function chosenWhere(): Where | null {
  const { chosenCount } = desk();
  const where = selected();
  if (!where) return null;
  return chosenCount ? { parts: where.parts, notes: where.notes } : where;
}

/** The same, or a word on what is missing. */
export function meant(): Where | null {
  const where = chosenWhere();
  if (!where) set({ notice: { text: "Choose notes or a span first." } });
  return where;
}

/** From the first start to the last end of what is chosen, its lowest and its highest pitch. */
export function reachOfChosen(): { start: number; end: number; lowest: number; highest: number } | null {
  const where = chosenWhere();
  if (!where) return null;
  const found = { start: Number.POSITIVE_INFINITY, end: 0, lowest: 127, highest: 0 };
  for (const part of frontParts()) {
    reached(part, where).forEach((one, note) => {
      if (!one) return;
      found.start = Math.min(found.start, part.start[note]);
      found.end = Math.max(found.end, part.end[note]);
      found.lowest = Math.min(found.lowest, part.pitch[note]);
      found.highest = Math.max(found.highest, part.pitch[note]);
    });
  }
  return found.end ? found : null;
}

const under = () => desk().travels;

/** Open a stroke on the chosen notes, with numbers that make sense. */
const BEGINNINGS = {
  "notes.move": (where: Where) => {
    const { score, grid } = desk();
    return plain("notes.move", {
      where,
      ticks: score ? Math.round(gridTicks(score, grid)) : 0,
      under: under(),
    });
  },
  "notes.transpose": (where: Where) => plain("notes.transpose", { where, keys: 12 }),
  "notes.length": (where: Where) => plain("notes.length", { where, factor: 0.5, under: under() }),
  "notes.spread": (where: Where) => plain("notes.spread", { where, under: under() }),
  "notes.place": (where: Where) => plain("notes.place", { where, grid: placing(), under: under() }),
  "notes.loosen": (where: Where) => plain("notes.loosen", { where, seed: anotherRoll(), under: under() }),
  "notes.split": (where: Where) => plain("notes.split", { where, into: 2 }),
  "notes.fill": (where: Where) => plain("notes.fill", { where }),
} satisfies Partial<{ [K in OnNotes]: (where: Where) => Of<K> }>;

export function beginOnNotes(kind: keyof typeof BEGINNINGS): void {
  const where = meant();
  if (where) begin(BEGINNINGS[kind](where));
}

/** Lengths up to a gap before the next note: short with a large gap, bound together with none. */
export function beginLengths(gap_ms: number): void {
  const where = meant();
  if (where) begin(plain("notes.length", { where, gap_ms, under: under() }));
}

const GRIDS = [1, 2, 4, 6, 8, 12, 16, 24, 32, 48, 64] as const;

/** The grid of the hand as a stroke names it. */
export function placing(): (typeof GRIDS)[number] {
  const { value, feel } = desk().grid;
  const wanted = feel === "triplet" ? value * 1.5 : value;
  return GRIDS.find((grid) => grid === wanted) ?? 16;
}

/** At once, without numbers: join, mute or unmute, delete. A join that cannot be kept stays open with what would do. */
export async function join(): Promise<void> {
  const where = meant();
  if (!where) return;
  begin(plain("notes.join", { where }));
  await keep();
}

export async function mute(): Promise<void> {
  const where = meant();
  if (!where) return;
  const on = frontParts().some((part) =>
    reached(part, where).some((one, row) => one === 1 && part.muted?.[row] !== 1),
  );
  await apply(plain("notes.mute", { where, on }));
}

export async function remove(): Promise<void> {
  const where = meant();
  if (where) await apply(plain("notes.delete", { where, under: under() }));
}

/** A note by its numbers: at the playhead, as long as the grid, where the part was last. */
export function beginNote(): void {
  const { score, grid } = desk();
  const part = leadPart();
  if (!score || !part) return;
  const head = tickAt(score, player.position());
  const start = grid.snap ? nearestLine(score, head, grid) : Math.round(head);
  const row = nearestRow(part, start);
  const pitch = row < 0 ? 60 : part.pitch[row];
  const velocity = row < 0 ? 80 : keptVelocities()[part.id][row];
  const length = Math.round(gridTicks(score, grid));
  begin(plain("notes.add", { where: { parts: [part.id] }, notes: [{ start, length, pitch, velocity }] }));
}

function nearestRow(part: PartScore, tick: number): number {
  let best = -1;
  for (let row = 0; row < part.start.length && (best < 0 || part.start[row] <= tick); row++) best = row;
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
  if (!open) letGo();
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
  if (!open) letGo();
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

// ---- cues

/** The chosen notes become cues. */
export function makeCues(): void {
  const where = meant();
  if (where) begin(plain("notes.cue", { where, name: "" }));
}
