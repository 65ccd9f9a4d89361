import { expect, test } from "vitest";
import { scored } from "./made";
import { rowOfId } from "./part";
import {
  gridTicks,
  idOfRow,
  maskOf,
  nearestLine,
  placeText,
  rangesOf,
  secondsAt,
  tickAt,
  tickOfPlace,
} from "./score";

const score = scored({
  ids: [4, 5, 9, 10, 20],
  tempo: [
    [0, 500_000],
    [3840, 250_000],
  ],
});
const part = score.parts[0]!;

test("rows and ids lead to each other; an id that is not there has no row", () => {
  expect([0, 1, 2, 3, 4].map((row) => idOfRow(part, row))).toEqual([4, 5, 9, 10, 20]);
  expect([4, 5, 9, 10, 20].map((id) => rowOfId(part, id))).toEqual([0, 1, 2, 3, 4]);
});

test("ranges of ids and masks of rows are the same choice", () => {
  const mask = maskOf(part, [
    [5, 9],
    [20, 99],
  ]);
  expect([...mask]).toEqual([0, 1, 1, 0, 1]);
  expect(rangesOf(part, mask)).toEqual([
    [5, 5],
    [9, 9],
    [20, 20],
  ]);
  expect([...maskOf(part, rangesOf(part, mask))]).toEqual([...mask]);
});

test("seconds and ticks are each other's inverse across a change of tempo", () => {
  for (const tick of [0, 1, 959, 3840, 3841, 9000])
    expect(tickAt(score, secondsAt(score, tick))).toBeCloseTo(tick, 6);
  expect(secondsAt(score, 3840)).toBeCloseTo(2, 9);
  expect(secondsAt(score, 7680)).toBeCloseTo(3, 9);
});

test("places are read and found, also behind the last bar", () => {
  expect(placeText(score, 0)).toBe("1:1");
  expect(placeText(score, 3840 + 960 * 2 + 5)).toBe("2:3");
  expect(tickOfPlace(score, 2, 3)).toBe(3840 + 1920);
  expect(tickOfPlace(score, 6, 1)).toBe(3840 * 5);
});

test.each([
  [{ value: 16, feel: "straight" }, 240],
  [{ value: 8, feel: "triplet" }, 320],
  [{ value: 4, feel: "dotted" }, 1440],
] as const)("the grid %j has a line every %i ticks, counted from the bar line", (grid, step) => {
  expect(gridTicks(score, grid)).toBe(step);
  expect(nearestLine(score, 3840 + step + 3, grid)).toBe(3840 + step);
  // Beside a bar line that line is the nearest, whatever the grid.
  expect(nearestLine(score, 3840 - 2, grid)).toBe(3840);
});
