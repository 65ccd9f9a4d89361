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
