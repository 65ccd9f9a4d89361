/** Labels along an edge that never meet one another. */

/** Pixels that a line of small figures needs. */
export const LINE_PIXELS = 13;

/**
 * Which of some heights can be written on, the first ones first: none nearer than `apart` to another that is written,
 * none outside `from` to `to`.
 */
export function apart(heights: readonly number[], distance: number, from: number, to: number): boolean[] {
  const written: number[] = [];
  return heights.map((y) => {
    const fits = y >= from && y <= to && written.every((other) => Math.abs(other - y) >= distance);
    if (fits) written.push(y);
    return fits;
  });
}

/** From the outside inwards: the ends say most, then the middle, then what lies between. */
export function fromOutside<T>(values: readonly T[]): T[] {
  const last = values.length - 1;
  const middle = Math.floor(last / 2);
  const order = [last, 0, middle, ...values.keys()];
  return [...new Set(order)].filter((at) => at in values).map((at) => values[at]!);
}
