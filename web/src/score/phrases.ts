/** Where a line breathes, as the page holds it. */
import type { Schemas } from "../api/client";

/** A phrase of a part's upper voice: from one tick to another, and where further groups begin in it. */
export interface Phrase {
  start: number;
  end: number;
  groups: readonly number[];
}

/** From the server's columns. */
export function phrasesOf({ start, end, groups }: Schemas["PhraseColumns"]): Phrase[] {
  let row = 0;
  return start.map((tick, at) => {
    const next = start[at + 1] ?? Number.POSITIVE_INFINITY;
    const first = row;
    while (row < groups.length && groups[row]! < next) row++;
    return { start: tick, end: end[at]!, groups: groups.slice(first, row) };
  });
}
