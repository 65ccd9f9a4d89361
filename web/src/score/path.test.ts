import { expect, test } from "vitest";
import { addPoint } from "./path";

test("going on adds, going back draws the stretch anew", () => {
  const drawn = addPoint([[0, 10]], [0, 10], [100, 50]);
  expect(drawn).toEqual([
    [0, 10],
    [100, 50],
  ]);
  const on = addPoint(drawn, [100, 50], [200, 70]);
  const back = addPoint(on, [200, 70], [50, 20]);
  expect(back.map(([tick]) => tick)).toEqual([0, 50, 200]);
  expect(back[1]).toEqual([50, 20]);
});

test("straight up or down keeps one height", () => {
  expect(addPoint([[0, 10]], [0, 10], [0, 90])).toEqual([[0, 90]]);
});
