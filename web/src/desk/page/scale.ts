/** Where values lie on a stave: the one way from a value to a pixel and back, for velocity and for every lane. */
import type { LaneKind } from "../../api/client";
import { rounded } from "../../ui/numbers";

export interface Scale {
  low: number;
  high: number;
  /** Where a lane rests: what is filled is filled from there. */
  middle: number;
  /** Values that are drawn as lines. */
  marks: readonly number[];
  yOf(value: number): number;
  valueAt(y: number): number;
}

/** A tall stave leaves room for its title, and for grips at its foot. */
const lanePadding = (height: number): [number, number] => (height > 40 ? [22, 9] : [4, 4]);
const VELOCITY_PADDING: [number, number] = [14, 14];

const LEAST_PIXELS = 16;

/** Steps that are round in semitones: cents, where one looks closely, then whole ones, then octaves. */
const STEPS = [0.01, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2, 3, 6, 12, 24, 48];

/** Values either side of the middle, as many as there is room for: each, or every second, twelfth ... */
function evenly(low: number, high: number, middle: number, tall: number): number[] {
  const every = STEPS.find((step) => (step * tall) / (high - low) >= LEAST_PIXELS) ?? high - middle;
  const marks: number[] = [];
  const first = Math.ceil((low - middle) / every - 1e-9);
  for (let step = first; middle + step * every <= high + 1e-9; step++)
    marks.push(rounded(middle + step * every, 3));
  return marks;
}

function scaleBetween(
  [low, high]: [number, number],
  height: number,
  [above, below]: [number, number],
  kind: LaneKind,
): Scale {
  const tall = height - above - below;
  return {
    low,
    high,
    middle: kind.middle,
    marks: kind.marks.length ? kind.marks : evenly(low, high, kind.middle, tall),
    yOf: (value) => above + ((high - value) / (high - low)) * tall,
    valueAt: (y) => high - ((y - above) / tall) * (high - low),
  };
}

/** The scale of a lane of some height between two values. */
export const laneScale = (kind: LaneKind, height: number, extent: [number, number]): Scale =>
  scaleBetween(extent, height, lanePadding(height), kind);

/** A window on a scale, nearer by `factor` about a value; never beyond what the lane can hold. */
export function nearer(
  [low, high]: [number, number],
  about: number,
  factor: number,
  kind: LaneKind,
): [number, number] {
  const tall = Math.min(Math.max((high - low) / factor, CLOSEST), 2 * kind.high);
  const share = (about - low) / (high - low);
  const from = Math.min(Math.max(about - share * tall, -kind.high), kind.high - tall);
  return [from, from + tall];
}

/** In semitones: so little fills a lane at its nearest. */
const CLOSEST = 0.04;

/** The scale of the velocity lane. */
export const velocityScale = (kind: LaneKind, height: number): Scale =>
  scaleBetween([kind.low, kind.high], height, VELOCITY_PADDING, kind);
