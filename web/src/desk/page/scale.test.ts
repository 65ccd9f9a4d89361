import { expect, test } from "vitest";
import { extentOf } from "../../score/lanes";
import { kindMade } from "../../score/made";
import { laneScale, nearer, velocityScale } from "./scale";

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
  const scales = [velocityScale(kindMade({ low: 1 }), 240), laneScale(kindMade({}), 140, [0, 127])];
  for (const scale of scales)
    for (const value of [1, 64, 127]) expect(scale.valueAt(scale.yOf(value))).toBeCloseTo(value, 6);
});

test("a lane that goes to both sides is drawn as far as it goes, and so far at least", () => {
  expect(extentOf(bend, [undefined])).toEqual([-2, 2]);
  expect(extentOf(bend, [held(-1, 1)], 12)).toEqual([-12, 12]);
  const wide = laneScale(bend, 140, extentOf(bend, [held(-1, 6.2), held(0, 1)]));
  expect([wide.low, wide.high]).toEqual([-7, 7]);
  expect(wide.marks).toEqual([-6, -3, 0, 3, 6]);
  // Without a node there is nothing to go by.
  expect(extentOf(bend, [held(Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY)])).toEqual([-2, 2]);
});

test("looked at closely, cents are told apart, and what was under the pointer stays there", () => {
  const window = nearer([-2, 2], 1, 40, bend);
  expect(window[1] - window[0]).toBeCloseTo(0.1, 6);
  expect((1 - window[0]) / 0.1).toBeCloseTo(0.75, 6);
  expect(laneScale(bend, 140, [-0.05, 0.05]).marks).toContain(0.02);
  expect(nearer(window, 1, 1e9, bend)[1] - nearer(window, 1, 1e9, bend)[0]).toBeCloseTo(0.04, 6);
  expect(nearer([-2, 2], 0, 1e-9, { ...bend, high: 127 })).toEqual([-127, 127]);
});

test("a strip leaves less room than a lane that is open", () => {
  const kind = kindMade({});
  expect(laneScale(kind, 34, [0, 127]).yOf(127)).toBeLessThan(laneScale(kind, 140, [0, 127]).yOf(127));
});
