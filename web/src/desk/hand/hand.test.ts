import { expect, it } from "vitest";
import { inWordsOf } from "./hand";

it("leaves what a mouse is told as it is", () => {
  const hint = "3:1 — click to play from here, drag to choose a span (Alt: off the grid)";
  expect(inWordsOf("mouse", hint)).toBe(hint);
});

it("tells fingers and pens of no keys, and how what Alt does is done", () => {
  expect(inWordsOf("touch", "click to choose (Shift: add)")).toBe("tap to choose");
  expect(
    inWordsOf("pen", "drag to draw, click for a node (Shift: straight; Alt: off the grid; d: choose again)"),
  ).toBe("drag to draw, tap for a node (hold still first: off the grid)");
  expect(inWordsOf("touch", "drag (it has 64 mf; l: stop, pin or squeeze; Alt+wheel: one by one)")).toBe(
    "drag (it has 64 mf)",
  );
  expect(inWordsOf("touch", "5 notes (all chosen)")).toBe("5 notes (all chosen)");
});
