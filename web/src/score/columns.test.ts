import { expect, test } from "vitest";
import { numbersOf, rowAt, spread } from "./columns";

test("numbers told in runs, each by itself, and none", () => {
  expect([...spread({ count: [2, 1, 3], value: [7, -1, 0] })]).toEqual([7, 7, -1, 0, 0, 0]);
  expect([...spread({ count: [], value: [3, 1, 2] })]).toEqual([3, 1, 2]);
  expect([...spread({ count: [], value: [] })]).toEqual([]);
});

test("ranges, both ends with them", () => {
  expect([
    ...numbersOf([
      [3, 5],
      [9, 9],
      [0, 1],
    ]),
  ]).toEqual([3, 4, 5, 9, 0, 1]);
  expect([...numbersOf([])]).toEqual([]);
});

test("what columns hold at one place, by their names", () => {
  expect(rowAt({ one: [3, 4], other: [5, 6] }, 1)).toEqual({ one: 4, other: 6 });
});
