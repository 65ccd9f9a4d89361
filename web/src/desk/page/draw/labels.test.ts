import { expect, test } from "vitest";
import { apart, fromOutside } from "./labels";

test("labels that would meet one written before are left out", () => {
  expect(apart([10, 60, 15, 35, 48], 13, 0, 70)).toEqual([true, true, false, true, false]);
});

test("nothing is written outside the room there is", () => {
  expect(apart([5, 30, 95], 10, 20, 90)).toEqual([false, true, false]);
});

test("the ends come first, then the middle", () => {
  expect(fromOutside([0, 32, 64, 96, 127])).toEqual([127, 0, 64, 32, 96]);
  expect(fromOutside([])).toEqual([]);
  expect(fromOutside([7])).toEqual([7]);
});
