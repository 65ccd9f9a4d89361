/** A take as the browser holds it: the server's columns in typed arrays, ready to be drawn. */
import type { Changes, DeskView, Where } from "../api/client";

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
  dye: string;
  seal: string;
  patch: string;
  firstNote: number;
  start: Int32Array;
  end: Int32Array;
  /** The latest end among this note and all before it: where a search for what is visible may begin. */
  reach: Int32Array;
  pitch: Uint8Array;
  drum: boolean;
  /** The standard's names of the keys of a percussion part. */
  voices: Record<number, string>;
  lanes: LaneHead[];
  contour: Contour | null;
  lowest: number;
  highest: number;
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

export interface Score
  extends Pick<DeskView, "id" | "resolution" | "end" | "seconds" | "bars" | "tempo" | "dynamics"> {
  noteNames: string[];
  flags: DeskView["flags"];
  parts: PartScore[];
}

/** One column of velocities for each part. */
export type Velocities = readonly Uint8Array[];

export function scoreOf(view: DeskView): Score {
  return {
    id: view.id,
    resolution: view.resolution,
    end: view.end,
    seconds: view.seconds,
    bars: view.bars,
    tempo: view.tempo,
    dynamics: view.dynamics,
    noteNames: view.note_names,
    flags: view.flags,
    parts: view.parts.map((part) => {
      const count = part.start.length;
      const start = new Int32Array(count);
      const end = new Int32Array(count);
      const reach = new Int32Array(count);
      let at = 0;
      let latest = 0;
      for (let note = 0; note < count; note++) {
        at += part.start[note];
        start[note] = at;
        end[note] = at + part.length[note];
        latest = Math.max(latest, end[note]);
        reach[note] = latest;
      }
      const pitch = Uint8Array.from(part.pitch);
      return {
        id: part.id,
        name: part.name,
        channel: part.channel,
        dye: part.dye,
        seal: part.seal,
        patch: part.patch,
        firstNote: part.first_note,
        start,
        end,
        reach,
        pitch,
        drum: part.drum,
        voices: part.voices,
        lanes: part.lanes,
        contour: contourOf(part.contour),
        lowest: count ? pitch.reduce((a, b) => Math.min(a, b)) : 60,
        highest: count ? pitch.reduce((a, b) => Math.max(a, b)) : 72,
      };
    }),
  };
}

function contourOf(given: DeskView["parts"][number]["contour"]): Contour | null {
  if (!given) return null;
  const first = new Int32Array(given.count.length + 1);
  given.count.forEach((count, note) => {
    first[note + 1] = first[note] + count;
  });
  return {
    first,
    tick: Int32Array.from(given.tick),
    bend: Float32Array.from(given.bend, (cents) => cents / 100),
    loud: Float32Array.from(given.loud, (share) => share / 100),
    ink: Uint8Array.from(given.ink),
  };
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
    for (let id = first; id <= last; id++) {
      const part = partOfNote(score, id);
      if (made[part.id] === velocities[part.id]) made[part.id] = velocities[part.id].slice();
      made[part.id][id - part.firstNote] = changes.velocity[value++];
    }
  }
  return made;
}

let lastPart: PartScore | undefined;

function partOfNote(score: Score, id: number): PartScore {
  const holds = (part: PartScore | undefined) =>
    part && id >= part.firstNote && id < part.firstNote + part.start.length;
  if (!lastPart || score.parts[lastPart.id] !== lastPart || !holds(lastPart))
    lastPart = score.parts.find(holds);
  return lastPart as PartScore;
}

/** The first index whose value is greater than `value`, in an ascending array. */
export function firstAbove(ascending: ArrayLike<number>, value: number): number {
  let low = 0;
  let high = ascending.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (ascending[middle] > value) high = middle;
    else low = middle + 1;
  }
  return low;
}

/** Indices [from, to) among which all notes are that sound anywhere between two ticks. */
export function sounding(part: PartScore, from: number, to: number): [number, number] {
  return [firstAbove(part.reach, from), firstAbove(part.start, to)];
}

/** Which notes are chosen: one column for each part. */
export type Chosen = readonly Uint8Array[];

export function noneOf(score: Score): Chosen {
  return score.parts.map((part) => new Uint8Array(part.start.length));
}

/** Chosen notes of a part as the inclusive id ranges of a stroke's `where`. */
export function rangesOf(part: PartScore, chosen: Uint8Array): [number, number][] {
  const ranges: [number, number][] = [];
  for (let note = 0; note < chosen.length; note++) {
    if (!chosen[note]) continue;
    const id = part.firstNote + note;
    const open = ranges[ranges.length - 1];
    if (open && open[1] === id - 1) open[1] = id;
    else ranges.push([id, id]);
  }
  return ranges;
}

/** Which notes of a part a stroke's `where` reaches. */
export function reached(part: PartScore, where: Where): Uint8Array {
  const mask = new Uint8Array(part.start.length);
  if (where.parts && !where.parts.includes(part.id)) return mask;
  if (where.notes) {
    for (const [first, last] of where.notes) {
      mask.fill(1, Math.max(first - part.firstNote, 0), Math.max(last - part.firstNote + 1, 0));
    }
  } else mask.fill(1);
  const [from, to] = where.span ?? [0, Number.POSITIVE_INFINITY];
  for (let note = 0; note < mask.length; note++) {
    if (part.start[note] < from || part.start[note] >= to) mask[note] = 0;
    if (where.pitches && !where.pitches.includes(part.pitch[note])) mask[note] = 0;
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
  const into = Math.max(tick - score.bars.start[bar], 0);
  const beat = Math.floor(into / score.bars.beat_ticks[bar]);
  return { bar: bar + 1, beat: beat + 1, rest: Math.round(into - beat * score.bars.beat_ticks[bar]) };
}

export function placeText(score: Score, tick: number): string {
  const { bar, beat } = placeOf(score, tick);
  return `${bar}:${beat}`;
}

/** Ticks between the lines of the grid. */
export function gridTicks(score: Score, grid: Pick<Grid, "value" | "feel">): number {
  const straight = (score.resolution * 4) / grid.value;
  return grid.feel === "dotted" ? straight * 1.5 : grid.feel === "triplet" ? (straight * 2) / 3 : straight;
}

/** The nearest line of the grid, counted from its bar line. */
export function nearestLine(score: Score, tick: number, grid: Pick<Grid, "value" | "feel">): number {
  const { bar } = placeOf(score, tick);
  const start = score.bars.start[bar - 1];
  const step = gridTicks(score, grid);
  const after = score.bars.start[bar] ?? Number.POSITIVE_INFINITY;
  return Math.min(Math.round(start + Math.round((tick - start) / step) * step), after);
}

/** Seconds and ticks, along the core's own tempo steps. */
export function secondsAt(score: Score, tick: number): number {
  const { ticks, seconds, micros } = score.tempo;
  const step = Math.max(firstAbove(ticks, tick) - 1, 0);
  return seconds[step] + ((tick - ticks[step]) * micros[step]) / (1e6 * score.resolution);
}

export function tickAt(score: Score, second: number): number {
  const { ticks, seconds, micros } = score.tempo;
  const step = Math.max(firstAbove(seconds, second) - 1, 0);
  return ticks[step] + ((second - seconds[step]) * 1e6 * score.resolution) / micros[step];
}

export function dynamicOf(score: Score, velocity: number): string {
  return score.dynamics.reduce((best, one) =>
    Math.abs(one.velocity - velocity) < Math.abs(best.velocity - velocity) ? one : best,
  ).mark;
}
