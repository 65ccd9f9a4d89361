import { expect, it } from "vitest";
import { Extremes, extremesOf } from "./extremes";

it("finds the lowest and the highest of any stretch, as a plain loop does", () => {
  for (const count of [1, 2, 3, 7, 64, 100]) {
    const values = Float32Array.from({ length: count }, (_, at) => Math.sin(at * 12.9898) * 100);
    const extremes = new Extremes(values);
    for (let from = 0; from < count; from++)
      for (let to = from + 1; to <= count; to++) {
        const part = [...values.subarray(from, to)];
        expect(extremes.between(from, to)).toEqual([Math.min(...part), Math.max(...part)]);
      }
  }
});

it("is made once of a column", () => {
  const values = Float32Array.of(3, 1, 2);
  expect(extremesOf(values)).toBe(extremesOf(values));
});
