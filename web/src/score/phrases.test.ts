import { expect, test } from "vitest";
import { phrasesOf } from "./phrases";

test("each phrase has the groups that begin in it", () => {
  const columns = { start: [0, 100, 300], end: [90, 290, 400], groups: [40, 150, 200, 350] };
  expect(phrasesOf(columns)).toEqual([
    { start: 0, end: 90, groups: [40] },
    { start: 100, end: 290, groups: [150, 200] },
    { start: 300, end: 400, groups: [350] },
  ]);
  expect(phrasesOf({ start: [], end: [], groups: [] })).toEqual([]);
});
