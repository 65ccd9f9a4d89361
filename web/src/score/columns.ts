/** Columns of numbers as the server tells them. */
import type { Schemas } from "../api/client";

/** Numbers that are told in runs, one by one. */
export const spread = ({ count, value }: Schemas["InRuns"]): Int32Array =>
  Int32Array.from(count.length ? count.flatMap((many, run) => Array<number>(many).fill(value[run]!)) : value);

/** Numbers in inclusive ranges, one by one. */
export const numbersOf = (ranges: readonly (readonly [number, number])[]): number[] =>
  ranges.flatMap(([first, last]) => Array.from({ length: last - first + 1 }, (_, at) => first + at));

/** What columns hold at one place, by their names. */
export function rowAt<Name extends string>(columns: Record<Name, readonly number[]>, at: number) {
  const row = {} as Record<Name, number>;
  for (const name in columns) row[name] = columns[name][at]!;
  return row;
}
