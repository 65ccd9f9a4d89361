/** The lowest and the highest of any stretch of a column of values, found in few steps however long that is. */

export class Extremes {
  private readonly low: Float32Array;
  private readonly high: Float32Array;

  /** Made once: over the values stands a row of half as many, of the lower and the higher of each two, and so on. */
  constructor(private readonly values: Float32Array) {
    const count = values.length;
    this.low = new Float32Array(2 * count);
    this.high = new Float32Array(2 * count);
    this.low.set(values, count);
    this.high.set(values, count);
    for (let at = count - 1; at > 0; at--) {
      this.low[at] = Math.min(this.low[2 * at]!, this.low[2 * at + 1]!);
      this.high[at] = Math.max(this.high[2 * at]!, this.high[2 * at + 1]!);
    }
  }

  /** Of the values from `from` to before `to`, which must be at least one. */
  between(from: number, to: number): [lowest: number, highest: number] {
    let [low, high] = [this.values[from]!, this.values[from]!];
    let left = from + this.values.length;
    let right = to + this.values.length;
    const take = (at: number) => {
      low = Math.min(low, this.low[at]!);
      high = Math.max(high, this.high[at]!);
    };
    while (left < right) {
      if (left & 1) take(left++);
      if (right & 1) take(--right);
      left >>= 1;
      right >>= 1;
    }
    return [low, high];
  }
}

const known = new WeakMap<Float32Array, Extremes>();

/** Those of a column that does not change. */
export function extremesOf(values: Float32Array): Extremes {
  let found = known.get(values);
  if (!found) {
    found = new Extremes(values);
    known.set(values, found);
  }
  return found;
}
