import { expect, test } from "vitest";
import { scored } from "../../score/made";
import * as page from "./camera";

const score = scored({ ids: [0, 1, 2, 3] });
const camera = page.held(page.startCamera, score);

test("pixels and ticks, rows and pitches are each other's inverse", () => {
  for (const tick of [0, 960, 12_345])
    expect(page.tickOf(camera, page.xOf(camera, tick))).toBeCloseTo(tick, 6);
  for (const pitch of [40, 60, 84])
    expect(page.pitchOf(camera, page.yOfPitch(camera, pitch) + 1)).toBe(pitch);
});

test("zooming keeps the tick under the pointer where it is", () => {
  const middle = page.showing(camera, score, 3840, 7680);
  const x = 500;
  expect(page.tickOf(page.zoomed(middle, score, x, 1.5), x)).toBeCloseTo(page.tickOf(middle, x), 4);
});

test("nothing leads past the ends of the take, or further out than all of it", () => {
  expect(page.scrolled(camera, score, -1e9).left).toBe(0);
  const far = page.scrolled(page.showing(camera, score, 3840, 5000), score, 1e9);
  expect(far.left).toBeLessThan(score.end);
  const out = page.zoomed(camera, score, 300, 1e-9);
  expect(page.rightTick(out)).toBeGreaterThanOrEqual(score.end);
  expect(out.perTick).toBeGreaterThan(0);
});
