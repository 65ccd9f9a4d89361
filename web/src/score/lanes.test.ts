import { expect, test } from "vitest";
import { formOf, nodesOf, taken, textOf, valueAt, withLaneChanges, wordOf } from "./lanes";
import { kindMade } from "./made";

const STRAIGHT = { node: [], lift: [], ease: [], time: [], line: [] };
const lane = nodesOf({
  key: "cc:1",
  tick: [10, 10, 20, 60],
  value: [1, 5, 9, 3],
  ways: [[1, 1]],
  bent: STRAIGHT,
});

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
    { key: "cc:1", first: 1, after: 3, tick: [30], value: [8], ways: [], bent: STRAIGHT },
  ]).get("cc:1");
  expect([...(changed?.tick ?? [])]).toEqual([10, 30, 100]);
  expect(valueAt(changed ?? lane, 50)).toBe(8);
  // What was there before is as it was.
  expect(lane.tick.length).toBe(4);
});

test("nodes that stay where they were are told without their times", () => {
  const change = {
    key: "cc:1",
    first: 1,
    after: 3,
    tick: null,
    value: [8, 7],
    ways: [[0, 0]],
    bent: STRAIGHT,
  };
  const changed = withLaneChanges(new Map([["cc:1", lane]]), [change as never]).get("cc:1");
  expect([...(changed?.tick ?? [])]).toEqual([10, 20, 40, 100]);
  expect([...(changed?.value ?? [])]).toEqual([1, 8, 7, 3]);
  expect([...(changed?.moves ?? [])]).toEqual([0, 1, 0, 0]);
});

test("a lane says its form by what it holds; a new pedal is off or on", () => {
  const pedal = kindMade({ key: "cc:64", form: "pedal" });
  const head = { key: "cc:64", nodes: 2, lowest: 0, highest: 80, leads_in: true, form: "pedal" as const };
  expect(formOf(pedal, undefined)).toBe("switch");
  expect(formOf(pedal, head)).toBe("pedal");
  expect([taken("switch", pedal, 63), taken("switch", pedal, 64), taken("pedal", pedal, 63)]).toEqual([
    0, 127, 63,
  ]);
});

test("values are told in the words and units of their lane", () => {
  const words = [
    { word: "p", value: 48 },
    { word: "mp", value: 64 },
  ];
  expect(wordOf(kindMade({ words }), 60)).toBe("mp");
  expect(wordOf(kindMade({}), 60)).toBe("");
  const bend = kindMade({ low: -127, decimals: 2, unit: "semitones" });
  expect([textOf(bend, -0.5), textOf(bend, 2), textOf(kindMade({}), 61)]).toEqual([
    "−0.50 semitones",
    "+2.00 semitones",
    "61",
  ]);
});

test("a bent way is drawn by even steps of its time", () => {
  const bent = { node: [1], lift: [0.5], ease: [0], time: [40], line: [0, 2, 8] };
  const [way] = nodesOf({
    key: "cc:1",
    tick: [10, 10, 40],
    value: [1, 0, 8],
    ways: [[1, 1]],
    bent,
  }).bent.values();
  expect(way).toEqual({
    lift: 0.5,
    ease: 0,
    line: [
      [20, 0],
      [40, 2],
      [60, 8],
    ],
  });
});
