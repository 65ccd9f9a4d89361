import { expect, test } from "vitest";
import { zonesEnded } from "./messages";

const batch = (parts: number[], bytes: number[][]) => ({
  times: new Float64Array(parts.length),
  parts: Uint8Array.from(parts),
  bytes: Uint8Array.from(bytes.flat()),
});

test("a part that is told of no zone has none from then on; one that is keeps it", () => {
  const told = batch(
    [0, 1, 1],
    [
      [0x90, 60, 64],
      [0xb0, 101, 0],
      [0xb0, 100, 6],
    ],
  );
  const ended = zonesEnded(told, [0, 1], 2.5);
  expect(new Set(ended.parts)).toEqual(new Set([0]));
  expect([...ended.times].every((time) => time === 2.5)).toBe(true);
  // Registered parameter 6 set to no members, and the null parameter after it.
  expect([...ended.bytes.subarray(0, 15)]).toEqual([
    0xb0, 101, 0, 0xb0, 100, 6, 0xb0, 6, 0, 0xb0, 101, 127, 0xb0, 100, 127,
  ]);
});
