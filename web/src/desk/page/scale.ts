/** Where values lie on a stave: the one way from a value to a pixel and back, for velocity and for every lane. */
import type { LaneKind } from "../../api/client";
import { extentOf, type LaneNodes } from "../../score/lanes";

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

/** Whole values either side of the middle, as many as there is room for: each, or every second, twelfth ... */
function evenly(low: number, high: number, middle: number, tall: number): number[] {
  const every =
    [1, 2, 3, 6, 12, 24, 48].find((step) => (step * tall) / (high - low) >= LEAST_PIXELS) ?? high - middle;
  const marks: number[] = [];
  for (let value = Math.ceil((low - middle) / every) * every + middle; value <= high; value += every)
    marks.push(value);
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

/** The scale of a lane of some height that holds some nodes. */
export const laneScale = (kind: LaneKind, height: number, lane: LaneNodes | undefined): Scale =>
  scaleBetween(extentOf(kind, lane), height, lanePadding(height), kind);

/** The scale of the velocity lane. */
export const velocityScale = (kind: LaneKind, height: number): Scale =>
  scaleBetween([kind.low, kind.high], height, VELOCITY_PADDING, kind);
