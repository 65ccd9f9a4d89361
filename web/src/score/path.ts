/** A line drawn by hand: points of ascending ticks. */

export type Point = readonly [number, number];

/** The line with the stretch from one point to another drawn anew: what it had between them goes. */
export function addPoint(points: readonly Point[], from: Point, to: Point): readonly Point[] {
  const [left, right] = from[0] <= to[0] ? [from, to] : [to, from];
  const before = points.filter(([tick]) => tick < left[0]);
  const after = points.filter(([tick]) => tick > right[0]);
  const between = left[0] === right[0] ? [to] : [left, right];
  return [...before, ...between, ...after];
}
