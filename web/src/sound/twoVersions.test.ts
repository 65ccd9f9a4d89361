import { expect, test } from "vitest";
import { loudness } from "./twoVersions";

const of = (samples: number[]) => ({ getChannelData: () => Float32Array.from(samples) });

test("silence is no part of how loud something is", () => {
  const tone = Array.from({ length: 44_100 }, (_, i) => 0.5 * Math.sin(i / 10));
  const still = Array.from({ length: 44_100 }, () => 0);
  expect(loudness(of(tone))).toBeCloseTo(0.5 / Math.SQRT2, 2);
  expect(loudness(of([...tone, ...still]))).toBeCloseTo(loudness(of(tone)), 2);
  expect(loudness(of(still))).toBe(0);
});
