/** The gestures that Shape offers on a lane: each begins as an open stroke with numbers that make sense. */
import type { Stroke, Where } from "../../api/client";
import { EXPRESSION, lanesOf, MOD_WHEEL, valueAt } from "../../score/lanes";
import { changeLane } from "../take/arranging";
import { inFront, onLead } from "../take/choosing";
import { letGo, preview } from "../take/shaping";
import { desk } from "../take/state";
import type { Sign } from "./signs";

export type Reshape = Extract<Stroke, { kind: "lane.reshape" }>;

/** A frame that changes nothing yet, round a span or round all of a lane. */
export function neutral(key: string, where: Where): Reshape {
  return {
    kind: "lane.reshape",
    lane: key,
    where,
    level: 0,
    depth: 1,
    pivot: "mean",
    lean: [1, 1],
    bow: 0,
    drift: 0,
    length: 1,
    limit: desk().limit,
    join: "keep",
  };
}

/** Begin a stroke on a lane, with its lane opened so that it is seen. */
export function beginOnLane(stroke: Stroke): void {
  letGo();
  for (const key of lanesOf(stroke)) changeLane(key, { open: true });
  preview(stroke);
}

/** The span that is chosen; otherwise all of the lane, or of the take where it carries nothing. */
export function spanOf(key: string): [number, number] {
  const { span, score, lanes } = desk();
  if (span) return span;
  const ticks = lanes.get(key)?.tick;
  return ticks?.length ? [ticks[0], ticks[ticks.length - 1] + 1] : [0, Math.max(score?.end ?? 1, 1)];
}

/** What can be begun on a lane, in the order in which it is offered. */
export const GESTURES: {
  sign: Sign;
  name: string;
  title: string;
  /** Not for switches, which are on or off. */
  slides?: boolean;
  make: (key: string, whole: [number, number]) => Stroke;
}[] = [
  {
    sign: "depth",
    name: "Frame",
    slides: true,
    title: "Grips round the span: level, depth, lean, bow, drift, length",
    make: (key) => neutral(key, onLead(desk().span)),
  },
  {
    sign: "hairpin",
    name: "Ramp",
    slides: true,
    title: "One way over the span, from the value that is there to the one that is there",
    make: (key, span) => ({
      kind: "lane.ramp",
      lane: key,
      where: onLead(span),
      start: startingValue(key, span[0]),
      end: 100,
      lift: 0,
      ease: 0,
    }),
  },
  {
    sign: "swell",
    name: "Swell",
    slides: true,
    title: "There and back over the span, once or again and again",
    make: (key, span) => shape(key, { where: onLead(span) }),
  },
  {
    sign: "swell",
    name: "On each note",
    slides: true,
    title: "A swell on every chosen note at once, or on all of the part",
    make: (key) => {
      return shape(key, { where: { ...inFront(), ...onLead() }, notes: true, delay: 80 });
    },
  },
  {
    sign: "vary",
    name: "Wave",
    slides: true,
    title: "Sine, triangle, teeth or pulse; in beats or hertz",
    make: (key, span) => ({
      kind: "lane.wave",
      lane: key,
      where: onLead(span),
      form: "sine",
      per: "beats",
      rate: 1,
      depth: 24,
      depth_end: null,
      centre: 64,
      phase: 0,
      fade_in: 0,
      mode: desk().lanes.get(key) ? "add" : "set",
    }),
  },
  {
    sign: "knee",
    name: "Smooth",
    slides: true,
    title: "Steady a jittery controller",
    make: (key) => ({ kind: "lane.smooth", lane: key, where: onLead(desk().span), width: 80 }),
  },
  {
    sign: "fadeIn",
    name: "Distil",
    slides: true,
    title: "Few nodes instead of hundreds of recorded values",
    make: (key) => ({ kind: "lane.distil", lane: key, where: onLead(desk().span), tolerance: 1 }),
  },
  {
    sign: "copy",
    name: "Copy",
    title: "To another time, lane or part",
    make: (key, span) => ({
      kind: "lane.copy",
      lane: key,
      where: onLead(span),
      to: { part: null, lane: null, at: span[1] },
      fit: null,
      flip: "none",
      gain: 1,
      repeat: 1,
    }),
  },
  {
    sign: "level",
    name: "Move",
    title: "One kind of data becomes another",
    make: (key) => ({
      kind: "lane.move",
      lane: key,
      where: onLead(desk().span),
      to: key === EXPRESSION ? MOD_WHEEL : EXPRESSION,
      keep: false,
    }),
  },
];

function startingValue(key: string, tick: number): number | null {
  const nodes = desk().lanes.get(key);
  return nodes && valueAt(nodes, tick) !== null ? null : 20;
}

function shape(key: string, more: Partial<Extract<Stroke, { kind: "lane.shape" }>>): Stroke {
  return {
    kind: "lane.shape",
    lane: key,
    start: 0,
    peak: 90,
    end: 0,
    peak_at: 0.5,
    lift: 0,
    ease: 0.5,
    every: null,
    notes: false,
    delay: 0,
    over: 1,
    ...more,
  };
}
