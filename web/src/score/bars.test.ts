import { expect, test } from "vitest";
import { typedBars } from "./bars";
import { scored } from "./made";

const score = scored({ ids: [0, 1, 2, 3] });
const bar = score.bars.beats[0]! * score.bars.beat_ticks[0]!;

test("a bar is a place to go to, with or without its beat", () => {
  expect(typedBars(score, "2")).toEqual({ at: bar });
  expect(typedBars(score, " 2:3 ")).toEqual({ at: bar + 2 * score.bars.beat_ticks[0]! });
});

test("bars from one to another are chosen, the last one too", () => {
  expect(typedBars(score, "2-3")).toEqual({ span: [bar, 3 * bar] });
  expect(typedBars(score, "2 – 2")).toEqual({ span: [bar, 2 * bar] });
});

test("what is not there, or makes no sense, is said", () => {
  expect(typedBars(score, "99")).toEqual({ problem: "There is no bar 99: the take has bars 1 to 4." });
  expect(typedBars(score, "0")).toEqual({ problem: "There is no bar 0: the take has bars 1 to 4." });
  expect(typedBars(score, "2:9")).toEqual({ problem: "Bar 2 has no beat 9: it has 4." });
  expect(typedBars(score, "3-2")).toEqual({ problem: "Bars go forward: 2–3." });
  for (const words of ["", "two", "1.5", "-3"]) expect(typedBars(score, words)).toHaveProperty("problem");
});
