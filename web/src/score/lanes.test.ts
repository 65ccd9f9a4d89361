import { expect, test } from "vitest";
import { nodesOf, valueAt, withLaneChanges } from "./lanes";

const lane = nodesOf({ key: "cc:1", tick: [10, 10, 20, 60], value: [1, 5, 9, 3], ways: [1], bent: [] });

test("nodes are told by differences, and stand in ticks", () => {
  expect([...lane.tick]).toEqual([10, 20, 40, 100]);
});

test("there is no value before the first node; held values stay, ways move", () => {
  expect(valueAt(lane, 9)).toBeNull();
  expect(valueAt(lane, 15)).toBe(1);
  expect(valueAt(lane, 30)).toBeCloseTo(7);
  expect(valueAt(lane, 99)).toBe(9);
  expect(valueAt(lane, 5000)).toBe(3);
});

test("what a stroke changes takes the place of what was there", () => {
  const lanes = new Map([["cc:1", lane]]);
  const changed = withLaneChanges(lanes, [
    { key: "cc:1", first: 1, after: 3, tick: [30], value: [8], ways: [], bent: [] },
  ]).get("cc:1");
  expect([...(changed?.tick ?? [])]).toEqual([10, 30, 100]);
  expect(valueAt(changed ?? lane, 50)).toBe(8);
  // What was there before is as it was.
  expect(lane.tick.length).toBe(4);
});
