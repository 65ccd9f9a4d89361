/** What gestures act on: what is chosen, the span, a lane, or the parts in front, as each of them is meant. */
import type { Where } from "../../api/client";
import { isOfNotes } from "../../score/own";
import { maskOf, placeOf, reached, type Score, tickAt } from "../../score/score";
import { player } from "../../sound/player";
import { chosenOfLead, inFront, onLead, partsInFront, selected } from "../take/choosing";
import { desk, frontParts, keptLane, set } from "../take/state";

const FADE_BARS = 4;

/** What is chosen, as a stroke names it: notes stay chosen wherever they go. */
export function chosenWhere(): Where | null {
  const { chosenCount } = desk();
  const where = selected();
  if (!where) return null;
  return chosenCount ? { parts: where.parts, notes: where.notes } : where;
}

/** The span that is chosen; otherwise all of the lane, or of the take where it carries nothing. */
export function spanOf(key: string): [number, number] {
  const { span, score } = desk();
  if (span) return span;
  const ticks = keptLane(key)?.tick;
  return ticks?.length ? [ticks[0]!, ticks[ticks.length - 1]! + 1] : [0, Math.max(score?.end ?? 1, 1)];
}

const lacking = (text: string): null => {
  set({ notice: { text } });
  return null;
};

/** On curves of notes over the length of each that is chosen; otherwise within a span of the lane. */
const onLane = (lane: string, span: [number, number] | null): Where =>
  isOfNotes(lane) ? chosenOfLead() : onLead(span);

/** By the words of the table; null, and said, where something has to be chosen first. */
export const PLACES: Record<string, (lane: string) => Where | null> = {
  front: inFront,
  chosen: () => selected() ?? lacking("Choose notes or a span first; then a hairpin can be drawn over them."),
  "chosen notes": () => chosenWhere() ?? lacking("Choose notes or a span first."),
  "fade in": () => ({ ...inFront(), span: fadeSpan("in") }),
  "fade out": () => ({ ...inFront(), span: fadeSpan("out") }),
  part: () => onLead(),
  ground: () => (desk().span ? { span: desk().span } : {}),
  "parts in front": () => ({ parts: partsInFront() }),
  span: () => onLead(desk().span),
  place: () => at(placeOfHand()),
  "stretch of chosen": () => {
    const [first, last] = onsetsOfChosen() ?? [];
    return first === undefined || last === undefined
      ? lacking("Choose the notes of the phrase first.")
      : onLead([first, last + 1]);
  },
  lane: (lane) => onLane(lane, desk().span),
  "all of the lane": (lane) => onLane(lane, spanOf(lane)),
  stretch: (lane) => onLead(spanOf(lane)),
  "notes of the part": () => ({ ...inFront(), ...onLead() }),
  own: chosenOfLead,
  "span or chosen": () => (desk().span ? onLead(desk().span) : chosenOfLead()),
  foot: () =>
    desk().span || desk().chosenCount
      ? PLACES["span or chosen"]!("")
      : lacking("Choose a span or some notes: the pedal is pressed there."),
};

const at = (tick: number): Where => onLead([tick, tick + 1]);

/** Where the first and the last of the chosen notes of the leading part begin, or the first and last in the span. */
function onsetsOfChosen(): [number, number] | null {
  const where = chosenWhere();
  const [part] = frontParts();
  if (!where || !part) return null;
  const onsets = [...part.start].filter((_, note) => reached(part, where)[note] === 1);
  return onsets.length ? [Math.min(...onsets), Math.max(...onsets)] : null;
}

/** Where the span begins, or the first chosen note; otherwise where the take stands. */
function placeOfHand(): number {
  const { score, span } = desk();
  const chosen = span ? span[0] : onsetsOfChosen()?.[0];
  return chosen ?? (score ? Math.round(tickAt(score, player.position())) : 0);
}

/** At the end of the span, of what is chosen, or of the parts in front: over the span, or over some bars. */
function fadeSpan(way: "in" | "out"): [number, number] {
  const { span, chosen, chosenCount, score } = desk();
  if (span) return span;
  let [from, to] = [Number.MAX_SAFE_INTEGER, 0];
  for (const part of frontParts()) {
    part.start.forEach((start, note) => {
      if (chosenCount && !chosen[part.id]![note]!) return;
      from = Math.min(from, start);
      to = Math.max(to, part.end[note]!);
    });
  }
  if (chosenCount || from > to || !score) return [Math.min(from, to), Math.max(to, 1)];
  const { start } = score.bars;
  const bar = placeOf(score, way === "in" ? from : Math.max(to - 1, 0)).bar - 1;
  if (way === "in") return [from, Math.min(start[bar + FADE_BARS] ?? to, to)];
  return [Math.max(start[Math.max(bar - FADE_BARS + 1, 0)]!, from), to];
}

/** From the first start to the last end of what is chosen, its lowest and its highest pitch. */
export function reachOfChosen(): { start: number; end: number; lowest: number; highest: number } | null {
  const where = chosenWhere();
  if (!where) return null;
  const found = { start: Number.POSITIVE_INFINITY, end: 0, lowest: 127, highest: 0 };
  for (const part of frontParts()) {
    reached(part, where).forEach((one, note) => {
      if (!one) return;
      found.start = Math.min(found.start, part.start[note]!);
      found.end = Math.max(found.end, part.end[note]!);
      found.lowest = Math.min(found.lowest, part.pitch[note]!);
      found.highest = Math.max(found.highest, part.pitch[note]!);
    });
  }
  return found.end ? found : null;
}

export function firstOnset(where: Where): number {
  const parts = frontParts().filter((part) => !where.parts || where.parts.includes(part.id));
  if (where.span) return where.span[0];
  const firsts = parts.flatMap((part) => {
    const row = where.notes ? maskOf(part, where.notes).indexOf(1) : 0;
    return row >= 0 && part.start.length ? [part.start[row]!] : [];
  });
  return Math.min(...firsts, Number.MAX_SAFE_INTEGER);
}

/** How many steps of a grid the bar has in which a stroke begins. */
export function stepsOfBar(score: Score, tick: number, grid: number): number {
  const bar = Math.min(placeOf(score, tick).bar, score.bars.start.length) - 1;
  const ticks = score.bars.beats[bar]! * score.bars.beat_ticks[bar]!;
  return Math.max(Math.floor(ticks / ((4 * score.resolution) / grid)), 1);
}
