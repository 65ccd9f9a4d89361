/** Choosing a span by a drag along a lane. */
import { nearestLine } from "../../score/score";
import { GUTTER, tickOf } from "../page/camera";
import { chooseSpan } from "../take/choosing";
import { desk } from "../take/state";
import type { Grip } from "./grip";

/** The tick at a pixel: on the grid, or where `free` off it; the other way round where nothing is pulled to the grid. */
export function snappedTick(x: number, free: boolean): number {
  const { camera, score, grid } = desk();
  const tick = Math.max(Math.round(tickOf(camera, Math.max(x, GUTTER))), 0);
  return score && free !== grid.snap ? nearestLine(score, tick, grid) : tick;
}

/** A drag along a lane chooses a span, as along the ruler. */
export function spanFrom(x: number, free: boolean): (to: number) => void {
  const start = snappedTick(x, free);
  return (to) => {
    const end = snappedTick(to, free);
    if (end !== start) chooseSpan([Math.min(start, end), Math.max(start, end)]);
  };
}

/** On a strip a drag chooses a span, and nothing else. */
export function spanGrip(x: number, free: boolean): Grip | null {
  if (x < GUTTER) return null;
  const choose = spanFrom(x, free);
  return { move: (to) => choose(to), done() {} };
}
