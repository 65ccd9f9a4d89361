/** What the pointer does on a pedal that is on or off: along open ground it presses, on pressed ground it lifts. */
import { plain } from "../../api/strokes";
import { HOLDS_FROM, type LaneNodes, valueAt } from "../../score/lanes";
import { firstAbove, gridTicks } from "../../score/score";
import { tickOf, xOf } from "../page/camera";
import type { LaneStave } from "../stage/laneStage";
import { onLead } from "../take/choosing";
import { close, finish, preview } from "../take/shaping";
import { desk, keptLane, set } from "../take/state";
import type { Grip } from "./grip";
import { snappedTick } from "./spanGrip";

/** An end of pressed ground is taken by hand when the pointer comes so near. */
const EDGE_REACH = 6;

const isDown = (nodes: LaneNodes | undefined, tick: number): boolean =>
  (nodes ? (valueAt(nodes, tick) ?? 0) : 0) >= HOLDS_FROM;

/** On the grid, unless Alt lets go of it or it is finer than the hand. */
function snapped(x: number, free: boolean): number {
  const { camera, score, grid } = desk();
  const isFine = score !== null && gridTicks(score, grid) * camera.perTick <= 6;
  return snappedTick(x, isFine ? grid.snap : free);
}

/** The end of pressed ground near a place: its tick, and whether the pedal goes down there. */
function edgeAt(nodes: LaneNodes | undefined, x: number): { tick: number; down: boolean } | null {
  if (!nodes) return null;
  const { camera } = desk();
  const from = Math.max(firstAbove(nodes.tick, tickOf(camera, x - EDGE_REACH) - 1), 0);
  for (let node = from; node < nodes.tick.length; node++) {
    const away = xOf(camera, nodes.tick[node]!) - x;
    if (away > EDGE_REACH) return null;
    const before = node > 0 && nodes.value[node - 1]! >= HOLDS_FROM;
    const now = nodes.value[node]! >= HOLDS_FROM;
    if (before !== now && Math.abs(away) <= EDGE_REACH) return { tick: nodes.tick[node]!, down: now };
  }
  return null;
}

function say(stave: LaneStave, x: number, y: number, text: string): void {
  set({ tip: { stave: stave.kind.key, x, y, text } });
}

/** Press or lift from where the hand went down; or move an end of pressed ground. */
export function pedalGrip(stave: LaneStave, x: number, free: boolean): Grip {
  const lane = stave.kind.key;
  const nodes = keptLane(lane);
  const edge = edgeAt(nodes, x);
  const from = edge ? edge.tick : snapped(x, free);
  const lifts = isDown(nodes, Math.round(tickOf(desk().camera, x)));
  let begun = false;
  return {
    move(toX, toY, now) {
      if (!begun && desk().shaping) close();
      begun = true;
      const to = snapped(toX, now.altKey);
      if (to === from) return;
      // An end that goes outwards presses what it goes over; one that goes inwards lifts it.
      const presses = edge ? edge.down === to < from : !lifts;
      say(stave, toX, toY, presses ? "pressed" : "lifted");
      preview({
        kind: presses ? "pedal.press" : "pedal.lift",
        lane,
        where: onLead([Math.min(from, to), Math.max(from, to)]),
        ...(presses ? { depth: 127 } : {}),
      } as Parameters<typeof preview>[0]);
    },
    done(moved) {
      set({ tip: null });
      if (moved) finish();
      else if (desk().shaping) close();
      else set({ span: null });
    },
  };
}

/** The ground that a pedal is pressed over at a tick, more or less deeply: from where it leaves 0 to where it is there again. */
export function groundAt(lane: string, tick: number): [number, number] | null {
  const nodes = keptLane(lane);
  const at = nodes ? firstAbove(nodes.tick, tick) - 1 : -1;
  if (!nodes || at < 0 || (valueAt(nodes, tick) ?? 0) <= 0) return null;
  let from = at;
  while (from > 0 && nodes.value[from]! > 0) from--;
  let to = at + 1;
  while (to < nodes.tick.length && nodes.value[to]! > 0) to++;
  const end = to < nodes.tick.length ? nodes.tick[to]! : (desk().score?.end ?? nodes.tick[to - 1]! + 1);
  return end > nodes.tick[from]! ? [nodes.tick[from]!, end] : null;
}

/** Pressed ground is taken up or down: all of that press is deeper, or less deep. */
export function depthGrip(
  stave: LaneStave,
  ground: [number, number],
  levelAt: (y: number) => number,
  y: number,
): Grip {
  const lane = stave.kind.key;
  return {
    move(toX, toY) {
      if (desk().shaping?.number != null) close();
      const level = Math.round(levelAt(toY) - levelAt(y));
      say(stave, toX, toY, `${level > 0 ? "+" : "−"}${Math.abs(level)} deep`);
      preview(plain("lane.reshape", { lane, where: onLead(ground), level, limit: "pin" }));
    },
    done(moved) {
      set({ tip: null });
      if (moved) finish();
    },
  };
}

/** What a press would do there, in words. */
export function pedalHint(lane: string, x: number): string {
  const nodes = keptLane(lane);
  const edge = edgeAt(nodes, x);
  if (edge) return `drag to move where it ${edge.down ? "goes down" : "comes up"}`;
  const down = isDown(nodes, Math.round(tickOf(desk().camera, x)));
  return down
    ? "drag to lift it here (Shift: choose a span)"
    : "drag to press it here (Shift: choose a span)";
}

/** The same on one that is pressed in part; empty where it is up. */
export function depthHint(lane: string, x: number): string {
  const ground = groundAt(lane, Math.round(tickOf(desk().camera, x)));
  return ground ? "drag up or down: pressed deeper, or less deep; along: choose a span (d: draw)" : "";
}
