import { expect, test } from "vitest";
import type { Delta } from "../api/client";
import { scored } from "./made";
import { rowOfId } from "./part";
import { carriedVelocities, withDelta } from "./score";

const each = (...value: number[]) => ({ count: [], value });

/** Of four notes at 0, 960, 1920 and 2880: the second is gone, the fourth goes before the third, a new one ends. */
const told = {
  id: 0,
  ids: [
    [0, 0],
    [3, 3],
    [2, 2],
    [7, 7],
  ],
  start: each(10, -1920, 0, 4000),
  length: each(0, 0, 20, 100),
  pitch: each(-2, 0, 12, 72),
  velocity: each(0, 0, 0, 99),
  rings: { row: [[1, 2]], on: { count: [2], value: [50] } },
  off_page: { row: [[1, 1]], start: each(1920), end: each(-1), nowhere: [[3, 3]] },
  muted: [],
  contour: null,
  phrases: { start: [], end: [], groups: [] },
};

test("a part of which notes have moved, come and gone", () => {
  const was = scored({ ids: [0, 1, 2, 3] });
  const delta = { whole: [told], parts: [], frame: null } as unknown as Delta;
  const score = withDelta(was, delta);
  const part = score.parts[0]!;
  expect([...part.start]).toEqual([10, 960, 1920, 4000]);
  expect([...part.end]).toEqual([490, 1440, 2420, 4100]);
  expect([...part.reach]).toEqual([490, 1440, 2420, 4100]);
  expect([...part.pitch]).toEqual([58, 60, 72, 72]);
  expect([...part.rings!.until]).toEqual([0, 1490, 2470, 0]);
  expect([part.offPage.row, [...part.offPage.start], [...part.offPage.end]]).toEqual([[1], [2880], [1439]]);
  expect([0, 1, 2, 3, 7].map((id) => rowOfId(part, id))).toEqual([0, -1, 2, 1, 3]);
  const velocities = carriedVelocities(was, [Uint8Array.of(10, 20, 30, 40)], score, delta.whole);
  expect([...velocities[0]!]).toEqual([10, 40, 30, 99]);
  // Where nothing is told anew nothing is another.
  expect(withDelta(score, { ...delta, whole: [] })).toBe(score);
});
