import { expect, it } from "vitest";
import { lateness } from "./lateness";

const clicks = [1000, 1500, 2000, 2500];

it("tells the middle of what taps are off", () => {
  expect(lateness([1030, 1540, 2035, 2900], clicks)).toBe(35);
  expect(lateness([980, 1481, 1979, 2480], clicks)).toBe(-20);
});

it("wants a tap for half of the clicks at least", () => {
  expect(lateness([1030], clicks)).toBeNull();
  expect(lateness([], clicks)).toBeNull();
});
