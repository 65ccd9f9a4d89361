import { expect, test } from "vitest";
import { apart } from "./StaveGrip";

test("grips that would lie on each other move aside, those named first stay", () => {
  const placed = apart([
    { left: 100, top: 50 },
    { left: 104, top: 55 },
    { left: 110, top: 48 },
    { left: 104, top: 120 },
  ]);
  expect(placed.map(({ left }) => left)).toEqual([100, 124, 148, 104]);
});

test("places that are no round numbers come to an end as well", () => {
  const placed = apart([1 / 3, 1 / 3, 1 / 3, 433.1700000001].map((left) => ({ left, top: 10 })));
  expect(placed.map(({ left }) => Math.round(left))).toEqual([0, 24, 48, 433]);
});
