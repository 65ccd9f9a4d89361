import { expect, test } from "vitest";
import { kindMade } from "../../score/made";
import { laneScale, velocityScale } from "./scale";

const bend = kindMade({
  key: "bend",
  form: "centred",
  low: -127,
  least: 2,
  middle: 0,
  marks: [],
  decimals: 2,
});
const held = (lowest: number, highest: number) => ({
  key: "bend",
  tick: new Int32Array(0),
  value: new Float32Array(0),
  moves: new Uint8Array(0),
  bent: new Map(),
  lowest,
  highest,
});

test("values and pixels are each other's inverse, on velocity as on any lane", () => {
  const scales = [velocityScale(kindMade({ low: 1 }), 240), laneScale(kindMade({}), 140, undefined)];
  for (const scale of scales)
    for (const value of [1, 64, 127]) expect(scale.valueAt(scale.yOf(value))).toBeCloseTo(value, 6);
});

test("a lane that goes to both sides is drawn as far as it goes, and so far at least", () => {
  expect(laneScale(bend, 140, undefined).high).toBe(2);
  const wide = laneScale(bend, 140, held(-1, 6.2));
  expect([wide.low, wide.high]).toEqual([-7, 7]);
  expect(wide.marks).toEqual([-6, -3, 0, 3, 6]);
  // Without a node there is nothing to go by.
  expect(laneScale(bend, 140, held(Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY)).high).toBe(2);
});

test("a strip leaves less room than a lane that is open", () => {
  const kind = kindMade({});
  expect(laneScale(kind, 34, undefined).yOf(127)).toBeLessThan(laneScale(kind, 140, undefined).yOf(127));
});
