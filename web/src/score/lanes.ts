/** Lanes as the browser holds them. */
import type { LaneName, Schemas, Stroke } from "../api/client";
import { heightAt } from "../ui/numbers";
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
}

export type Bent = Schemas["BentWay"];

export function nodesOf(lane: Schemas["LaneData"]): LaneNodes {
  const tick = new Int32Array(lane.tick.length);
  let at = 0;
  lane.tick.forEach((step, node) => {
    at += step;
    tick[node] = at;
  });
  const value = Float32Array.from(lane.value);
  const moves = new Uint8Array(tick.length);
  for (const node of lane.ways) moves[node] = 1;
  return {
    key: lane.key,
    tick,
    value,
    moves,
    bent: new Map(lane.bent.map((way) => [way.node, way])),
    lowest: value.reduce((a, b) => Math.min(a, b), Number.POSITIVE_INFINITY),
    highest: value.reduce((a, b) => Math.max(a, b), Number.NEGATIVE_INFINITY),
  };
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
  const part = nodesOf(change);
  if (!old) return part;
  const { first, after } = change;
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
  if (!lane.moves[node] || node + 1 >= lane.tick.length) return lane.value[node];
  return heightAt(wayOf(lane, node), tick);
}

/** The way from a node to the next, as the core has drawn it; straight where it is one of too many to be told. */
export function wayOf(lane: LaneNodes, node: number): readonly (readonly number[])[] {
  const line = lane.bent.get(node)?.line;
  if (line?.length) return line;
  return [
    [lane.tick[node], lane.value[node]],
    [lane.tick[node + 1], lane.value[node + 1]],
  ];
}

/** The range that a lane is drawn in. */
export function rangeOf(key: string, lane: LaneNodes | undefined): [number, number] {
  if (key !== "bend") return [0, 127];
  const reach = Math.max(2, Math.ceil(Math.max(Math.abs(lane?.lowest ?? 0), Math.abs(lane?.highest ?? 0))));
  return [-reach, reach];
}

/** Whether a lane is off or on: by what it holds, and a new one where it is a pedal. */
export function isSwitch(
  key: string,
  head: Schemas["LaneHead"] | undefined,
  names: readonly LaneName[],
): boolean {
  return head ? head.switch : (names.find((one) => one.key === key)?.pedal ?? false);
}

/** The lanes that a stroke acts on. */
export const lanesOf = (stroke: Stroke): readonly string[] =>
  "lane" in stroke ? (typeof stroke.lane === "string" ? [stroke.lane] : stroke.lane) : [];

/** "CC 11 Expression", "Pitch bend". */
export function titleOf(key: string, names: readonly LaneName[]): string {
  const name = names.find((one) => one.key === key)?.name ?? key;
  return key.startsWith("cc:") ? `CC ${key.slice(3)} ${name}` : name;
}
