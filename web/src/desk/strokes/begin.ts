/** Beginning strokes on velocities: each opens with numbers that make sense, to be changed and kept. */
import type { Stroke, Where } from "../../api/client";
import { type EXPRESSION, VELOCITY, type VOLUME } from "../../score/lanes";
import { maskOf, type PartScore, placeOf, type Score } from "../../score/score";
import { openStroke } from "../take/arranging";
import { inFront, selected } from "../take/choosing";
import { apply, keep, letGo, preview } from "../take/shaping";
import { desk, frontParts, kindOf, type Limit, set } from "../take/state";
import { type Of, plain } from "./entry";

export type Fade = Of<"velocity.hairpin"> | Of<"lane.fade">;
/** What a fade is written as: the touch of the notes, or a level controller. */
export type Writing = typeof VELOCITY | typeof EXPRESSION | typeof VOLUME;

const FADE_BARS = 4;
const MOST_SEED = 2 ** 31 - 1;

export function begin(stroke: Stroke): void {
  letGo();
  preview(stroke);
}

/** Over the selection, from its softest to its loudest; or to its loudest and back. */
export function hairpin(turns = false): void {
  const where = selected();
  if (!where) {
    set({ notice: { text: "Choose notes or a span first; then a hairpin can be drawn over them." } });
    return;
  }
  const { facts } = desk();
  const start = facts?.lowest ?? 48;
  const top =
    facts && facts.highest > facts.lowest ? facts.highest : Math.min(start + 32, kindOf(VELOCITY).high);
  const levels = turns ? { start, peak: top, end: start } : { start, end: top };
  begin(plain("velocity.hairpin", { where, ...levels }));
}

/** All that are chosen, or all in front, to their mean: at once, and the number can be changed afterwards. */
export function levelOut(): void {
  void apply({ kind: "velocity.set", where: inFront(), value: "mean" });
}

export function depth(): void {
  begin(plain("velocity.scale", { where: inFront(), factor: 0.7, limit: desk().limit }));
}

export function knee(): void {
  const threshold = Math.round(desk().facts?.mean ?? 80);
  begin(plain("velocity.knee", { where: inFront(), side: "loud", threshold, ratio: 2 }));
}

export function vary(): void {
  begin(plain("velocity.vary", { where: inFront(), amount: 5, seed: anotherRoll(), limit: desk().limit }));
}

export const anotherRoll = () => Math.floor(Math.random() * MOST_SEED);

export function accent(): void {
  const { score } = desk();
  if (!score) return;
  const where = inFront();
  const steps = stepsOfBar(score, firstOnset(where), 8);
  begin(plain("velocity.accent", { where, grid: 8, pattern: metric(steps), amount: 16 }));
}

/** How many steps of a grid the bar has in which a stroke begins. */
export function stepsOfBar(score: Score, tick: number, grid: number): number {
  const bar = Math.min(placeOf(score, tick).bar, score.bars.start.length) - 1;
  const ticks = score.bars.beats[bar] * score.bars.beat_ticks[bar];
  return Math.max(Math.floor(ticks / ((4 * score.resolution) / grid)), 1);
}

/** A plain pattern to begin with: the first beat strong, the middle of the bar less so, what is between held back. */
function metric(steps: number): number[] {
  return Array.from({ length: steps }, (_, step) =>
    step === 0 ? 1 : 2 * step === steps ? 0.5 : step % 2 ? -0.25 : 0,
  );
}

export function firstOnset(where: Where): number {
  const parts = frontParts().filter((part) => !where.parts || where.parts.includes(part.id));
  if (where.span) return where.span[0];
  const firsts = parts.flatMap((part) => {
    const row = where.notes ? maskOf(part, where.notes).indexOf(1) : 0;
    return row >= 0 && part.start.length ? [part.start[row]] : [];
  });
  return Math.min(...firsts, Number.MAX_SAFE_INTEGER);
}

/** A part's standing trim: opened again where it has one. */
export function trim(part: PartScore): void {
  const known = desk().history.strokes.find(
    ({ stroke }) =>
      stroke.kind === "velocity.trim" &&
      stroke.where?.parts?.length === 1 &&
      stroke.where.parts[0] === part.id,
  );
  if (known) void openStroke(known.number);
  else begin(plain("velocity.trim", { where: { parts: [part.id] } }));
}

/** At the end of the span, of what is chosen, or of the parts in front: over the span, or over some bars. */
export function fade(way: "in" | "out"): void {
  const { score } = desk();
  if (!score) return;
  const where = { ...inFront(), span: fadeSpan(score, way) };
  const levels = way === "in" ? { start: 0, end: 1 } : { start: 1, end: 0 };
  begin(plain("velocity.hairpin", { where, mode: "by", ...levels }));
}

function fadeSpan(score: Score, way: "in" | "out"): [number, number] {
  const { span, chosen, chosenCount } = desk();
  if (span) return span;
  let [from, to] = [Number.MAX_SAFE_INTEGER, 0];
  for (const part of frontParts()) {
    part.start.forEach((start, note) => {
      if (chosenCount && !chosen[part.id][note]) return;
      from = Math.min(from, start);
      to = Math.max(to, part.end[note]);
    });
  }
  if (chosenCount || from > to) return [Math.min(from, to), Math.max(to, 1)];
  const { start } = score.bars;
  const bar = placeOf(score, way === "in" ? from : Math.max(to - 1, 0)).bar - 1;
  if (way === "in") return [from, Math.min(start[bar + FADE_BARS] ?? to, to)];
  return [Math.max(start[Math.max(bar - FADE_BARS + 1, 0)], from), to];
}

/** The same fade, written otherwise. */
export function rewritten(fade: Fade, as: Writing): Fade {
  const { start, end, lift, ease } = fade;
  const mark = desk().shaping?.mark;
  const span = fade.where?.span ?? (mark ? ([mark.start, mark.end] as [number, number]) : undefined);
  const where = { ...fade.where, span };
  if (as === VELOCITY) return plain("velocity.hairpin", { where, mode: "by", start, end, lift, ease });
  const { parts, notes } = where;
  return {
    kind: "lane.fade",
    lane: as,
    where: { parts: partsOf(parts, notes), span },
    start,
    end,
    lift,
    ease,
  };
}

/** A controller belongs to whole parts: those whose notes were chosen. */
function partsOf(parts: Where["parts"], notes: Where["notes"]): number[] {
  const all = frontParts().filter(({ id }) => !parts || parts.includes(id));
  const touched = all.filter((part) => maskOf(part, notes ?? []).includes(1));
  return (touched.length ? touched : all).map(({ id }) => id);
}

/** What a group does at the end of the range from now on, in the open stroke too. */
export function limit(limit: Limit): void {
  set({ limit });
  const { shaping } = desk();
  if (!shaping || !("limit" in shaping.stroke)) return;
  preview({ ...shaping.stroke, limit });
  if (shaping.number !== null) void keep();
}
