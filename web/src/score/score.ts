/** A take as the browser holds it: the server's columns in typed arrays, ready to be drawn. */
import type { Changes, Delta, DeskView, Schemas, Where } from "../api/client";
import { between } from "../ui/numbers";
import { spread } from "./columns";
import { firstWhere, lanesOf, type PartChange, partAfter, partOf, rowsIn, within } from "./part";
import type { Phrase } from "./phrases";

/** Where things are placed in time: a note value, straight, dotted or triplet; and whether it pulls. */
export interface Grid {
  value: 1 | 2 | 4 | 8 | 16 | 32 | 64;
  feel: "straight" | "dotted" | "triplet";
  snap: boolean;
}

export interface PartScore {
  id: number;
  name: string;
  channel: number;
  /** The other parts on its channel: what its lanes do, they hear as well. */
  shares: readonly number[];
  dye: string;
  seal: string;
  patch: string;
  /** Ids of the notes, in the order of their rows. */
  runs: readonly Run[];
  /** The same, ascending by id. */
  byId: readonly Run[];
  start: Int32Array;
  end: Int32Array;
  /** The latest end among this note and all before it: where a search for what is visible may begin. */
  reach: Int32Array;
  pitch: Uint8Array;
  drum: boolean;
  /** The standard's names of the keys of a percussion part. */
  voices: Record<number, string>;
  lanes: LaneHead[];
  /** From each tick on, so many semitones either way. */
  bendRange: readonly (readonly [number, number])[];
  /** Its instrument takes its range by hand; how far that goes, where that is known. */
  byHand: boolean;
  largest: number | null;
  /** Resets, and other tracks, where they act on its bend. */
  inForce: Schemas["PartLanes"]["in_force"];
  /** How its notes are sent, and what its instrument takes of each by itself. */
  sent: Schemas["SentView"];
  contour: Contour | null;
  /** Until when each note sounds, where a pedal holds it (0 where none does); and the latest of it and all before. */
  rings: { until: Int32Array; reach: Int32Array } | null;
  /** Where sustain is down. */
  feet: readonly (readonly [number, number])[];
  /** Where its line breathes. */
  phrases: readonly Phrase[];
  lowest: number;
  highest: number;
  /** Which notes are not sent; null where all are. */
  muted: Uint8Array | null;
  /** Notes (rows) that are written elsewhere than they are heard: from one tick to another. */
  offPage: { row: readonly number[]; start: Int32Array; end: Int32Array };
  /** What the instrument hears and is no music, and what its keys call up. */
  cues: readonly Schemas["CueView"][];
  cueNames: Record<number, string>;
}

/** Notes at neighbouring rows, from `row` on, whose ids follow one another. */
export interface Run {
  first: number;
  last: number;
  row: number;
}

export type LaneHead = DeskView["parts"][number]["lanes"][number];

/** The sounding shape of each note: its points are those from `first[note]` to before `first[note + 1]`. */
export interface Contour {
  first: Int32Array;
  tick: Int32Array;
  bend: Float32Array;
  loud: Float32Array;
  ink: Uint8Array;
}

export interface Score extends Pick<DeskView, "id" | "resolution" | "end" | "seconds" | "bars" | "tempo"> {
  noteNames: string[];
  flags: DeskView["flags"];
  parts: PartScore[];
  /** The runs of all parts, ascending by id. */
  runs: readonly (Run & { part: number })[];
}

/** One column of velocities for each part. */
export type Velocities = readonly Uint8Array[];

export function scoreOf(view: DeskView): Score {
  const parts = view.parts.map(partOf);
  return {
    id: view.id,
    resolution: view.resolution,
    end: view.end,
    seconds: view.seconds,
    bars: view.bars,
    tempo: view.tempo,
    noteNames: view.note_names,
    flags: view.flags,
    parts,
    runs: runsOf(parts),
  };
}

const runsOf = (parts: readonly PartScore[]): Score["runs"] =>
  parts
    .flatMap(({ id, runs }) => runs.map((run) => ({ ...run, part: id })))
    .sort((a, b) => a.first - b.first);

/** The score with what has changed of the lanes of some parts. */
export function withLanes(score: Score, changed: readonly Schemas["PartLanes"][]): Score {
  const parts = [...score.parts];
  for (const part of changed) parts[part.id] = { ...parts[part.id]!, ...lanesOf(part, parts[part.id]!.end) };
  return { ...score, parts };
}

/** The score after a change: parts whose notes are others, what lanes make of the rest, and the frame of all. */
export function withDelta(score: Score, { whole, parts, frame }: Delta): Score {
  if (!whole.length && !parts.length && !frame) return score;
  const made = withLanes(score, parts);
  for (const part of whole) made.parts[part.id] = partAfter(part, score.parts[part.id]!);
  return { ...made, ...frame, runs: whole.length ? runsOf(made.parts) : score.runs };
}

/** Velocities of one score for another, of which some parts were told anew: notes that are new have those told. */
export function carriedVelocities(
  old: Score,
  velocities: Velocities,
  score: Score,
  told: readonly PartChange[],
): Velocities {
  const carried = [...velocities];
  for (const { id, velocity } of told) {
    // (Told by how much more it is than it was: of what is new, what it is.)
    const made = Uint8Array.from(spread(velocity));
    rowsIn(old.parts[id]!.byId, score.parts[id]!.runs).forEach((before, row) => {
      if (before >= 0) made[row] = velocities[id]![before]!;
    });
    carried[id] = made;
  }
  return carried;
}

export function velocitiesOf(view: DeskView): Velocities {
  return view.parts.map((part) => Uint8Array.from(part.velocity));
}

/** Velocities with some changed; only the parts that change are copied. */
export function withChanges(score: Score, velocities: Velocities, changes: Changes): Velocities {
  if (!changes.notes.length) return velocities;
  const made = [...velocities];
  let value = 0;
  for (const [first, last] of changes.notes) {
    within(score.runs, [first, last], ({ part, ...run }, from, to) => {
      if (made[part] === velocities[part]) made[part] = velocities[part]!.slice();
      for (let id = from; id <= to; id++)
        made[part]![run.row + id - run.first] = changes.velocity[value + id - first]!;
    });
    value += last - first + 1;
  }
  return made;
}

/** The keys of a part's cues, ascending. */
export function cueKeysOf(part: PartScore): number[] {
  return [...new Set(part.cues.map(({ pitch }) => pitch))].sort((a, b) => a - b);
}

/** The id of the note at a row. */
export function idOfRow(part: PartScore, row: number): number {
  const run = part.runs.findLast((one) => one.row <= row) as Run;
  return run.first + row - run.row;
}

/** Which notes of a part have their ids in inclusive ranges. */
export function maskOf(part: PartScore, ranges: readonly (readonly [number, number])[]): Uint8Array {
  const mask = new Uint8Array(part.start.length);
  for (const range of ranges)
    within(part.byId, range, (run, from, to) =>
      mask.fill(1, run.row + from - run.first, run.row + to + 1 - run.first),
    );
  return mask;
}

/**
 * The same notes chosen after the take was read anew; or, where some have come, those, with what else of the chosen has
 * changed (`others`, ranges of ids).
 */
export function carried(
  old: Score,
  chosen: Chosen,
  fresh: Score,
  newest: boolean,
  others: readonly (readonly [number, number])[] = [],
): Chosen {
  const come = fresh.parts.map((part) =>
    Uint8Array.from(rowsIn(old.runs, part.runs), (row) => Number(row < 0)),
  );
  const ranges = old.parts.flatMap((part) => rangesOf(part, chosen[part.id]!));
  if (newest && come.some((mask) => mask.includes(1))) {
    return fresh.parts.map((part) => {
      const kept = maskOf(part, ranges);
      const changed = maskOf(part, others);
      return come[part.id]!.map((one, row) => one | (kept[row]! & changed[row]!));
    });
  }
  return fresh.parts.map((part) => maskOf(part, ranges));
}

/** The first index whose value is greater than `value`, in an ascending array. */
export const firstAbove = (ascending: ArrayLike<number>, value: number): number =>
  firstWhere(ascending.length, (at) => ascending[at]! > value);

/** Indices [from, to) among which all notes are that sound anywhere between two ticks. */
export function sounding(part: PartScore, from: number, to: number): [number, number] {
  return [firstAbove(part.reach, from), firstAbove(part.start, to)];
}

/** Whether a note begins after all before it have ended, and ends before the next begins. */
export function isAlone(part: PartScore, note: number): boolean {
  const before = note > 0 ? part.reach[note - 1]! : 0;
  const next = note + 1 < part.start.length ? part.start[note + 1]! : Number.POSITIVE_INFINITY;
  return before <= part.start[note]! && next >= part.end[note]!;
}

/** The pitch of the one note that sounds at a tick; null where none does, or several do. */
export function soundingAlone(part: PartScore, tick: number): number | null {
  const [from, to] = sounding(part, tick, tick);
  let pitch: number | null = null;
  for (let note = from; note < to; note++) {
    if (part.end[note]! <= tick) continue;
    if (pitch !== null) return null;
    pitch = part.pitch[note]!;
  }
  return pitch;
}

/** Which notes are chosen: one column for each part. */
export type Chosen = readonly Uint8Array[];

export function noneOf(score: Score): Chosen {
  return score.parts.map((part) => new Uint8Array(part.start.length));
}

/** Chosen notes of a part as the inclusive id ranges of a stroke's `where`. */
export function rangesOf(part: PartScore, chosen: Uint8Array): [number, number][] {
  const ranges: [number, number][] = [];
  for (const { first, last, row } of part.runs) {
    for (let id = first; id <= last; id++) {
      if (!chosen[row + id - first]) continue;
      const open = ranges[ranges.length - 1];
      if (open && open[1] === id - 1) open[1] = id;
      else ranges.push([id, id]);
    }
  }
  return ranges;
}

/** Which notes of a part a stroke's `where` reaches. */
export function reached(part: PartScore, where: Where): Uint8Array {
  if (where.parts && !where.parts.includes(part.id)) return new Uint8Array(part.start.length);
  const mask = where.notes ? maskOf(part, where.notes) : new Uint8Array(part.start.length).fill(1);
  const [from, to] = where.span ?? [0, Number.POSITIVE_INFINITY];
  for (let note = 0; note < mask.length; note++) {
    if (part.start[note]! < from || part.start[note]! >= to) mask[note] = 0;
    if (where.pitches && !where.pitches.includes(part.pitch[note]!)) mask[note] = 0;
  }
  return mask;
}

export interface Place {
  bar: number;
  beat: number;
  /** Ticks into the beat. */
  rest: number;
}

/** Where a tick stands among the bar lines that the core gave. */
export function placeOf(score: Score, tick: number): Place {
  const bar = Math.max(firstAbove(score.bars.start, tick) - 1, 0);
  const { start, beats, beat_ticks } = score.bars;
  // After the end of the take the last bar goes on and on.
  const bars = Math.floor(Math.max(tick - start[bar]!, 0) / (beats[bar]! * beat_ticks[bar]!));
  const into = Math.max(tick - start[bar]!, 0) - bars * beats[bar]! * beat_ticks[bar]!;
  const beat = Math.floor(into / beat_ticks[bar]!);
  return { bar: bar + bars + 1, beat: beat + 1, rest: Math.round(into - beat * beat_ticks[bar]!) };
}

/** The tick of a bar and beat (both count from 1). */
export function tickOfPlace(score: Score, bar: number, beat: number): number {
  const { start, beats, beat_ticks } = score.bars;
  const row = between(bar, 1, start.length) - 1;
  const after = Math.max(bar - start.length, 0) * beats[row]! * beat_ticks[row]!;
  return start[row]! + after + (Math.max(beat, 1) - 1) * beat_ticks[row]!;
}

export function placeText(score: Score, tick: number): string {
  const { bar, beat } = placeOf(score, tick);
  return `${bar}:${beat}`;
}

/** So much a note may come early and still belong to the beat: an eighth of a quarter. */
export const earlyTicks = (score: Score): number => score.resolution / 8;

/** Ticks between the lines of the grid. */
export function gridTicks(score: Score, grid: Pick<Grid, "value" | "feel">): number {
  const straight = (score.resolution * 4) / grid.value;
  return grid.feel === "dotted" ? straight * 1.5 : grid.feel === "triplet" ? (straight * 2) / 3 : straight;
}

/** The nearest line of the grid, counted from its bar line. */
export function nearestLine(score: Score, tick: number, grid: Pick<Grid, "value" | "feel">): number {
  const { bar } = placeOf(score, tick);
  const start = tickOfPlace(score, bar, 1);
  const step = gridTicks(score, grid);
  const after = tickOfPlace(score, bar + 1, 1);
  return Math.min(Math.round(start + Math.round((tick - start) / step) * step), after);
}

/** Seconds and ticks, along the core's own tempo steps. */
export function secondsAt(score: Score, tick: number): number {
  const { ticks, seconds, micros } = score.tempo;
  const step = Math.max(firstAbove(ticks, tick) - 1, 0);
  return seconds[step]! + ((tick - ticks[step]!) * micros[step]!) / (1e6 * score.resolution);
}

export function tickAt(score: Score, second: number): number {
  const { ticks, seconds, micros } = score.tempo;
  const step = Math.max(firstAbove(seconds, second) - 1, 0);
  return ticks[step]! + ((second - seconds[step]!) * 1e6 * score.resolution) / micros[step]!;
}

/** Quarters a minute at a tick. */
export function bpmAt(score: Score, tick: number): number {
  const { ticks, micros } = score.tempo;
  const step = Math.max(
    ticks.findLastIndex((one) => one <= tick),
    0,
  );
  return 60e6 / micros[step]!;
}
