/** The voices of chord into chord. */
import type { Mark } from "../api/client";
import { rowAt } from "./columns";

/** One voice, as the mark of its stroke has it in columns. */
export type Thread = ReturnType<typeof threadsOf>[number];

export function threadsOf(mark: Mark | null | undefined) {
  if (!mark?.threads) return [];
  const { ways, way, ...columns } = mark.threads;
  return way.map((which, at) => ({ ...rowAt(columns, at), way: ways[which]! }));
}
