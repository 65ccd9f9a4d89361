/** A part as the browser holds it, made of the columns that the server tells. */
import type { DeskView, Schemas } from "../api/client";
import { numbersOf, spread } from "./columns";
import { phrasesOf } from "./phrases";
import type { Contour, PartScore, Run } from "./score";

type PartView = DeskView["parts"][number];
export type PartChange = Schemas["PartChange"];
type Columns = Pick<PartScore, "start" | "end" | "pitch">;

/** A part as it is told in whole. */
export function partOf(part: PartView): PartScore {
  let at = 0;
  const start = Int32Array.from(part.start, (step) => {
    at += step;
    return at;
  });
  const end = start.map((tick, note) => tick + part.length[note]!);
  return made(part, { start, end, pitch: Uint8Array.from(part.pitch) });
}

/** A part after its notes have moved, come or gone: each has so much more than it had. */
export function partAfter(told: PartChange, was: PartScore): PartScore {
  const [start, end, pitch] = [told.start, told.length, told.pitch].map(spread) as [
    Int32Array,
    Int32Array,
    Int32Array,
  ];
  rowsIn(was.byId, runsIn(told.ids)).forEach((row, note) => {
    if (row >= 0) {
      start[note]! += was.start[row]!;
      end[note]! += was.end[row]! - was.start[row]!;
      pitch[note]! += was.pitch[row]!;
    }
    end[note]! += start[note]!;
  });
  return made(told, { start, end, pitch: Uint8Array.from(pitch) });
}

function made(part: PartView | PartChange, { start, end, pitch }: Columns): PartScore {
  const count = start.length;
  const runs = runsIn(part.ids);
  return {
    id: part.id,
    name: part.name,
    channel: part.channel,
    shares: part.shares,
    dye: part.dye,
    seal: part.seal,
    patch: part.patch,
    runs,
    byId: [...runs].sort((a, b) => a.first - b.first),
    start,
    end,
    reach: reachOf(end),
    pitch,
    drum: part.drum,
    voices: part.voices,
    ...lanesOf(part, end),
    lowest: count ? pitch.reduce((a, b) => Math.min(a, b)) : 60,
    highest: count ? pitch.reduce((a, b) => Math.max(a, b)) : 72,
    muted: mutedOf(part.muted, count),
    offPage: offPageOf(part.off_page, start, end),
    cues: part.cues,
    cueNames: part.cue_names,
  };
}

function mutedOf(rows: readonly number[], count: number): Uint8Array | null {
  if (!rows.length) return null;
  const muted = new Uint8Array(count);
  for (const row of rows) muted[row] = 1;
  return muted;
}

/** The lanes of a part in short, and what they make of its notes, of which the ends are known. */
export const lanesOf = (part: Schemas["PartLanes"], end: Int32Array) => ({
  lanes: part.lanes,
  bendRange: part.bend_range,
  byHand: part.by_hand,
  largest: part.largest,
  inForce: part.in_force,
  sent: part.sent,
  contour: contourOf(part.contour),
  rings: ringsOf(part.rings, end),
  feet: part.feet,
  phrases: phrasesOf(part.phrases),
});

export function contourOf(given: Schemas["PartLanes"]["contour"]): Contour | null {
  if (!given) return null;
  const first = new Int32Array(given.count.length + 1);
  given.count.forEach((count, note) => {
    first[note + 1] = first[note]! + count;
  });
  const tick = Int32Array.from(given.tick);
  const all = (column: number[]) => (column.length < tick.length ? tick.map(() => column[0]!) : column);
  return {
    first,
    tick,
    bend: Float32Array.from(given.bend, (cents) => cents / 100),
    loud: Float32Array.from(all(given.loud), (share) => share / 100),
    ink: Uint8Array.from(all(given.ink)),
  };
}

function offPageOf(given: PartView["off_page"], start: Int32Array, end: Int32Array): PartScore["offPage"] {
  const row = numbersOf(given.row);
  const later = (column: Schemas["InRuns"], heard: Int32Array) =>
    spread(column).map((ticks, at) => heard[row[at]!]! + ticks);
  return { row, start: later(given.start, start), end: later(given.end, end) };
}

function ringsOf(given: Schemas["PartLanes"]["rings"], end: Int32Array): PartScore["rings"] {
  if (!given) return null;
  const until = new Int32Array(end.length);
  const on = spread(given.on);
  numbersOf(given.row).forEach((row, at) => {
    until[row] = end[row]! + on[at]!;
  });
  return { until, reach: reachOf(until) };
}

/** The latest of each tick and all before it. */
function reachOf(ticks: Int32Array): Int32Array {
  let latest = 0;
  return ticks.map((tick) => {
    latest = Math.max(latest, tick);
    return latest;
  });
}

function runsIn(ids: PartView["ids"]): Run[] {
  let row = 0;
  return ids.map(([first, last]) => {
    const run = { first, last, row };
    row += last - first + 1;
    return run;
  });
}

/** The first of so many places, in order, at which something is so, as it is at all that follow. */
export function firstWhere(count: number, isSo: (place: number) => boolean): number {
  let low = 0;
  let high = count;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (isSo(middle)) high = middle;
    else low = middle + 1;
  }
  return low;
}

/** What of ascending runs lies within a range of ids: each run, from one id to another. */
export function within<One extends Run>(
  runs: readonly One[],
  [first, last]: readonly [number, number],
  act: (run: One, from: number, to: number) => void,
): void {
  let at = firstWhere(runs.length, (one) => runs[one]!.last >= first);
  for (; at < runs.length && runs[at]!.first <= last; at++) {
    const run = runs[at]!;
    act(run, Math.max(first, run.first), Math.min(last, run.last));
  }
}

/** For each note of some runs its row in others, ascending by id; -1 where it is not there. */
export function rowsIn(known: readonly Run[], runs: readonly Run[]): Int32Array {
  const end = runs[runs.length - 1];
  const rows = new Int32Array(end ? end.row + end.last - end.first + 1 : 0).fill(-1);
  for (const { first, last, row } of runs)
    within(known, [first, last], (was, from, to) => {
      for (let id = from; id <= to; id++) rows[row + id - first] = was.row + id - was.first;
    });
  return rows;
}

/** The row of a note in a part; -1 where it has none of that id. */
export const rowOfId = (part: PartScore, id: number): number =>
  rowsIn(part.byId, [{ first: id, last: id, row: 0 }])[0]!;
