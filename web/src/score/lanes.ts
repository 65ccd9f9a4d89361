/** Lanes as the browser holds them. */
import type { Form, LaneKind, Schemas } from "../api/client";
import { between, heightAt, rounded } from "../ui/numbers";
import { firstAbove } from "./score";

export interface LaneNodes {
  key: string;
  tick: Int32Array;
  value: Float32Array;
  /** Which nodes do not hold their value until the next; and the lines of those ways that are bent. */
  moves: Uint8Array;
  bent: ReadonlyMap<number, Bent>;
  lowest: number;
  highest: number;
  /** Of a lane of notes the curve of each, by its id: it has no nodes itself. */
  notes?: ReadonlyMap<number, LaneNodes>;
}

/** A way that is no straight line: its form, and (tick, value) to draw it by. */
export interface Bent {
  lift: number;
  ease: number;
  line: readonly (readonly [number, number])[];
}

/** The nodes that are told; at times that are known, where those are not told. */
export function nodesOf(lane: Schemas["LaneData"], known?: Int32Array<ArrayBuffer>): LaneNodes {
  const tick = known ?? new Int32Array(lane.tick.length);
  let at = 0;
  lane.tick.forEach((step, node) => {
    at += step;
    tick[node] = at;
  });
  const value = Float32Array.from(lane.value);
  const moves = new Uint8Array(tick.length);
  for (const [first, last] of lane.ways) moves.fill(1, first, last + 1);
  return {
    key: lane.key,
    tick,
    value,
    moves,
    bent: bentOf(lane.bent, tick),
    ...reachOf(value),
  };
}

/** Between which values some lie: of none the lowest is above the highest. */
export function reachOf(values: Iterable<number>): { lowest: number; highest: number } {
  let [lowest, highest] = [Number.POSITIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (const value of values) {
    lowest = Math.min(lowest, value);
    highest = Math.max(highest, value);
  }
  return { lowest, highest };
}

function bentOf({ node, lift, ease, time, line }: Schemas["BentWays"], tick: Int32Array): Map<number, Bent> {
  const many = line.length / node.length;
  const lineOf = (way: number, from: number): Bent["line"] =>
    line
      .slice(way * many, (way + 1) * many)
      .map((value, step) => [from + (time[way]! * step) / (many - 1), value]);
  return new Map(
    node.map((row, way) => [row, { lift: lift[way]!, ease: ease[way]!, line: lineOf(way, tick[row]!) }]),
  );
}

/** Lanes with what a preview has changed in them. */
export function withLaneChanges(
  lanes: ReadonlyMap<string, LaneNodes>,
  changes: readonly Schemas["LaneChange"][],
): ReadonlyMap<string, LaneNodes> {
  const made = new Map(lanes);
  for (const change of changes) made.set(change.key, spliced(lanes.get(change.key), change));
  return made;
}

function spliced(old: LaneNodes | undefined, change: Schemas["LaneChange"]): LaneNodes {
  const { first, after } = change;
  const part = nodesOf(
    { ...change, tick: change.tick ?? [] },
    change.tick ? undefined : old?.tick.slice(first, after),
  );
  if (!old) return part;
  const shift = first + part.tick.length - after;
  const joined = <T extends Int32Array | Float32Array | Uint8Array>(mine: T, theirs: T): T => {
    const all = new (mine.constructor as new (length: number) => T)(mine.length + shift);
    all.set(mine.subarray(0, first));
    all.set(theirs, first);
    all.set(mine.subarray(after), first + theirs.length);
    return all;
  };
  const bent = new Map<number, Bent>();
  for (const [node, way] of old.bent) {
    if (node < first) bent.set(node, way);
    else if (node >= after) bent.set(node + shift, way);
  }
  for (const [node, way] of part.bent) bent.set(node + first, way);
  return {
    key: old.key,
    tick: joined(old.tick, part.tick),
    value: joined(old.value, part.value),
    moves: joined(old.moves, part.moves),
    bent,
    lowest: Math.min(old.lowest, part.lowest),
    highest: Math.max(old.highest, part.highest),
  };
}

/** The value in force at a tick; null before the first node. */
export function valueAt(lane: LaneNodes, tick: number): number | null {
  const node = firstAbove(lane.tick, tick) - 1;
  if (node < 0) return null;
  if (!lane.moves[node] || node + 1 >= lane.tick.length) return lane.value[node]!;
  return heightAt(wayOf(lane, node), tick);
}

/** The way from a node to the next, as the core has drawn it; straight where it is one of too many to be told. */
export function wayOf(lane: LaneNodes, node: number): readonly (readonly number[])[] {
  const line = lane.bent.get(node)?.line;
  if (line?.length) return line;
  return [
    [lane.tick[node]!, lane.value[node]!],
    [lane.tick[node + 1]!, lane.value[node + 1]!],
  ];
}

// ---- kinds

/** Velocity is drawn, chosen and named as a lane, though every note has its own. */
export const VELOCITY = "velocity";
/** The wheel: a lane of semitones, with a range and gestures of its own. */
export const SUSTAIN = "cc:64";
export const BEND = "bend";
/** Lanes that strokes begin with, until the player names another. */
export const MOD_WHEEL = "cc:1";
export const VOLUME = "cc:7";
export const EXPRESSION = "cc:11";

/** What a lane holds says its form; a new pedal is off or on until it is drawn otherwise. */
export function formOf(kind: LaneKind, head: Schemas["LaneHead"] | undefined): Form {
  return head?.form ?? (kind.form === "pedal" ? "switch" : kind.form);
}

/** A pedal acts from here upwards. */
export const HOLDS_FROM = 64;

/** Whether a kind of lane is a pedal: off and on, or pressed in part. */
export const isPedal = (kind: LaneKind): boolean => kind.form === "pedal";

/** Whether a lane of this form can move from one value to another; otherwise it is off or on. */
export const slides = (form: Form): boolean => form !== "switch";

/** A value as a lane of this form takes it. */
export const taken = (form: Form, kind: LaneKind, value: number): number =>
  slides(form) ? value : value > (kind.low + kind.high) / 2 ? kind.high : kind.low;

/** The word that players have for a value, or the nearest to it: "mf", "on". */
export const wordOf = (kind: LaneKind, value: number): string =>
  kind.words.reduce(
    (best, one) => (Math.abs(one.value - value) < Math.abs(best.value - value) ? one : best),
    kind.words[0] ?? { word: "", value: 0 },
  ).word ?? "";

/** A value in words: with its sign and unit where the lane goes below nothing. */
export function textOf(kind: LaneKind, value: number): string {
  if (kind.low >= 0) return String(rounded(value));
  return `${value < 0 ? "−" : "+"}${Math.abs(value).toFixed(kind.decimals)} ${kind.unit}`;
}

/** The lowest and the highest value that a lane is drawn between: as far as some lanes go, and so far `least`. */
export function extentOf(
  kind: LaneKind,
  lanes: readonly (Pick<LaneNodes, "lowest" | "highest"> | undefined)[],
  least = kind.least,
): [number, number] {
  if (!kind.least) return [kind.low, kind.high];
  const furthest = lanes.map((lane) =>
    lane && Number.isFinite(lane.lowest) ? Math.max(-lane.lowest, lane.highest) : 0,
  );
  const reach = between(Math.ceil(Math.max(kind.least, least, ...furthest)), 0, kind.high);
  return [kind.middle - reach, kind.middle + reach];
}
