import { expect, test } from "vitest";
import type { History } from "../../api/client";
import { historyAfter } from "./histories";

const stroke = (number: number, on = true) => ({ number, on }) as History["strokes"][number];
const three: History = {
  revision: 5,
  strokes: [stroke(1), stroke(2), stroke(3)],
  undone: [
    { label: "four", step: 4 },
    { label: "five", step: 5 },
  ],
  can_undo: 3,
  can_redo: 2,
};
const nothing = { changed: [], gone: [], undone: [], still_undone: 0, can_undo: 0, can_redo: 0, revision: 6 };

test("strokes that come, change or go do so at their places, and the others stay as they were", () => {
  const after = historyAfter(three, {
    ...nothing,
    changed: [stroke(2, false), stroke(4)],
    gone: [1],
    can_undo: 4,
  });
  expect(after.strokes.map(({ number, on }) => [number, on])).toEqual([
    [2, false],
    [3, true],
    [4, true],
  ]);
  expect(after.strokes[1]).toBe(three.strokes[2]);
  expect([after.revision, after.can_undo, after.undone]).toEqual([6, 4, []]);
});

test("a step back is told before those that were undone earlier, a step forward leaves the last", () => {
  const back = historyAfter(three, {
    ...nothing,
    gone: [3],
    undone: [{ label: "three", step: 3 }],
    still_undone: 2,
  });
  expect(back.undone.map(({ label }) => label)).toEqual(["three", "four", "five"]);
  const on = historyAfter(three, { ...nothing, still_undone: 1 });
  expect(on.undone.map(({ label }) => label)).toEqual(["five"]);
});
