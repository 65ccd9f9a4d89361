/** Lanes as the browser holds them. */
import type { LaneName, Schemas } from "../api/client";
import { firstAbove } from "./score";

export interface LaneNodes {
  key: string;
  tick: Int32Array;
  value: Float32Array;
  lowest: number;
  highest: number;
}

export function nodesOf(lane: Schemas["LaneData"]): LaneNodes {
  const tick = new Int32Array(lane.tick.length);
  let at = 0;
  lane.tick.forEach((step, node) => {
    at += step;
    tick[node] = at;
  });
  const value = Float32Array.from(lane.value);
  return {
    key: lane.key,
    tick,
    value,
    lowest: value.reduce((a, b) => Math.min(a, b), Number.POSITIVE_INFINITY),
    highest: value.reduce((a, b) => Math.max(a, b), Number.NEGATIVE_INFINITY),
  };
}

/** The value in force at a tick; null before the first node. */
export function valueAt(lane: LaneNodes, tick: number): number | null {
  const node = firstAbove(lane.tick, tick) - 1;
  return node < 0 ? null : lane.value[node];
}

/** The range that a lane is drawn in. */
export function rangeOf(key: string, lane: LaneNodes | undefined): [number, number] {
  if (key !== "bend") return [0, 127];
  const reach = Math.max(2, Math.ceil(Math.max(Math.abs(lane?.lowest ?? 0), Math.abs(lane?.highest ?? 0))));
  return [-reach, reach];
}

/** "CC 11 Expression", "Pitch bend". */
export function titleOf(key: string, names: readonly LaneName[]): string {
  const name = names.find((one) => one.key === key)?.name ?? key;
  return key.startsWith("cc:") ? `CC ${key.slice(3)} ${name}` : name;
}
