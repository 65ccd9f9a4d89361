/** Beginning strokes on a lane: each opens with numbers that make sense there. */
import type { Stroke, Where } from "../../api/client";
import { BEND, lanesOf, valueAt } from "../../score/lanes";
import { isOfNotes } from "../../score/own";
import { changeLane } from "../take/arranging";
import { chosenOfLead, onLead } from "../take/choosing";
import { letGo, preview } from "../take/shaping";
import { desk, keptLane, kindOf, set } from "../take/state";
import { type Of, plain } from "./entry";

/** What strokes begin with: on a controller in its 127 steps, on the wheel in semitones. */
interface Beginning {
  low: number;
  high: number;
  peak: number;
  depth: number;
  centre: number;
  tolerance: number;
}
const STEPS: Beginning = { low: 20, high: 100, peak: 90, depth: 24, centre: 64, tolerance: 1 };
const SEMITONES: Beginning = { low: 0, high: 2, peak: 1, depth: 0.5, centre: 0, tolerance: 0.05 };
export const beginning = (lane: string): Beginning => (kindOf(lane).decimals ? SEMITONES : STEPS);

export type Reshape = Of<"lane.reshape">;

/** A frame that changes nothing yet, round a span or round all of a lane. */
export const neutral = (lane: string, where: Where): Required<Reshape> =>
  plain("lane.reshape", { lane, where, limit: desk().limit }) as Required<Reshape>;

/** Begin a stroke that shows on one lane: Shape acts on it from then on, and it is opened so that it is seen. */
export function beginOn(lane: string, stroke: Stroke): void {
  letGo();
  set({ activeLane: lane });
  changeLane(lane, { open: true });
  preview(stroke);
}

/** Begin a stroke on a lane, with its lane opened so that it is seen. */
export function beginOnLane(stroke: Stroke): void {
  letGo();
  for (const key of lanesOf(stroke)) changeLane(key, { open: true });
  preview(stroke);
}

/** Begin a gesture of the wheel: over what is chosen, with its lane in sight. */
export function beginBend(stroke: Stroke): void {
  set({ activeLane: BEND });
  beginOnLane(stroke);
}

/** The span that is chosen; otherwise all of the lane, or of the take where it carries nothing. */
export function spanOf(key: string): [number, number] {
  const { span, score } = desk();
  if (span) return span;
  const ticks = keptLane(key)?.tick;
  return ticks?.length ? [ticks[0], ticks[ticks.length - 1] + 1] : [0, Math.max(score?.end ?? 1, 1)];
}

/** Where a gesture of lanes acts: within a span, or on curves of notes over the length of each that is chosen. */
export const whereOn = (lane: string, span: [number, number] | null): Where =>
  isOfNotes(lane) ? chosenOfLead() : onLead(span);

/** From the value that is there, where there is one. */
export function beginRamp(lane: string): void {
  if (isOfNotes(lane)) {
    const { low, high } = beginning(lane);
    beginOnLane(plain("lane.ramp", { lane, where: chosenOfLead(), start: low, end: high }));
    return;
  }
  const span = spanOf(lane);
  const nodes = keptLane(lane);
  const { low, high } = beginning(lane);
  const start = nodes && valueAt(nodes, span[0]) !== null ? null : low;
  beginOnLane(plain("lane.ramp", { lane, where: onLead(span), start, end: high }));
}

/** On top of what is there, or about the middle of the lane where nothing is. */
export function beginWave(lane: string): void {
  const mode = keptLane(lane) ? "add" : "set";
  const { depth, centre } = beginning(lane);
  beginOnLane(
    plain("lane.wave", {
      lane,
      where: whereOn(lane, isOfNotes(lane) ? null : spanOf(lane)),
      rate: 1,
      depth,
      centre,
      mode,
    }),
  );
}

/** Behind the span. */
export function beginCopy(lane: string): void {
  const span = spanOf(lane);
  beginOnLane(plain("lane.copy", { lane, where: onLead(span), to: { part: null, lane: null, at: span[1] } }));
}

/** There and back. */
export const swell = (lane: string, more: Omit<Partial<Of<"lane.shape">>, "kind">): Stroke =>
  plain("lane.shape", { lane, start: 0, peak: beginning(lane).peak, end: 0, ease: 0.5, ...more });
