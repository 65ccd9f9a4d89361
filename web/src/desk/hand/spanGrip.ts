/** Choosing a span by a drag along a lane. */
import { nearestLine } from "../../score/score";
import { GUTTER, tickOf } from "../page/camera";
import { chooseSpan } from "../take/choosing";
import { desk } from "../take/state";
import type { Grip } from "./grip";

/** A drag along a lane chooses a span, as along the ruler. */
export function spanFrom(x: number, free: boolean): (to: number) => void {
  const snapped = (at: number) => {
    const { camera, score, grid } = desk();
    const tick = Math.max(Math.round(tickOf(camera, Math.max(at, GUTTER))), 0);
    return score && free !== grid.snap ? nearestLine(score, tick, grid) : tick;
  };
  const start = snapped(x);
  return (to) => {
    const end = snapped(to);
    if (end !== start) chooseSpan([Math.min(start, end), Math.max(start, end)]);
  };
}

/** On a strip a drag chooses a span, and nothing else. */
export function spanGrip(x: number, free: boolean): Grip | null {
  if (x < GUTTER) return null;
  const choose = spanFrom(x, free);
  return { move: (to) => choose(to), done() {} };
}
