/** What the pointer does on an open lane: draws, moves nodes, pulls the ways between them, chooses a span for the frame. */
import type { Stroke } from "../../api/client";
import { BEND, isPedal, type LaneNodes, slides, taken, textOf, valueAt } from "../../score/lanes";
import { isOfNotes } from "../../score/own";
import { addPoint, type Point } from "../../score/path";
import { firstAbove, gridTicks, nearestLine } from "../../score/score";
import { between, rounded } from "../../ui/numbers";
import { GUTTER, tickOf, xOf } from "../page/camera";
import { MOST_NODES } from "../page/draw/lane";
import type { LaneStave } from "../stage/laneStage";
import { beginning } from "../strokes/numbers";
import { onLead } from "../take/choosing";
import { close, finish, preview } from "../take/shaping";
import { desk, draws, keptLane, laneLevels, leadPart, set } from "../take/state";
import type { Grip } from "./grip";
import { asNode, laneSurface, noteOfCurve, ownGrip } from "./ownGestures";
import { depthGrip, groundAt, pedalGrip } from "./pedalGestures";
import { choosePressed } from "./picking";
import { reach } from "./reaching";
import { spanFrom } from "./spanGrip";

const NODE_REACH = 8;
const WAY_REACH = 6;
/** A node is drawn to a round value when it comes so near. */
const ROUND_REACH = 2;

const scaleOf = ({ kind, height }: LaneStave) => laneLevels(kind, height);

function valueAtY(stave: LaneStave, y: number): number {
  const { low, high, valueAt } = scaleOf(stave);
  // What has no ends of its own goes on where the lane ends, and the lane goes with it.
  const [least, most] = stave.kind.least ? [stave.kind.low, stave.kind.high] : [low, high];
  return rounded(between(valueAt(y), least, most), stave.kind.decimals);
}

/** On the grid and at round values (a bend: at the notes that it is to come to), unless Alt lets go of both. */
function snapped(stave: LaneStave, x: number, y: number, free: boolean): Point {
  const { camera, score, grid } = desk();
  let tick = Math.max(Math.round(tickOf(camera, Math.max(x, GUTTER))), 0);
  let value = valueAtY(stave, y);
  if (score && grid.snap && !free) {
    const line = nearestLine(score, tick, grid);
    // Far out the grid is finer than the hand: then nothing is gained by it.
    if (gridTicks(score, grid) * camera.perTick > 6) tick = line;
    value = stave.kind.rounds.find((round) => Math.abs(round - value) <= ROUND_REACH) ?? value;
  }
  if (stave.kind.key === BEND && !free) value = reach(tick, value, scaleOf(stave));
  return [tick, taken(stave.form, stave.kind, value)];
}

export function laneGrip(
  stave: LaneStave,
  x: number,
  y: number,
  event: PointerEvent | MouseEvent,
): Grip | null {
  if (x < GUTTER || !leadPart()) return null;
  set({ activeLane: stave.kind.key });
  if (isOfNotes(stave.kind.key)) return ownLaneGrip(stave, x, y, event);
  if (draws(event)) return drawGrip(stave, x, y, event.shiftKey, event.altKey);
  if (stave.open && isPedal(stave.kind) && !slides(stave.form)) {
    if (event.shiftKey) return spanGrip(x, event, () => set({ span: null }));
    return pedalGrip(stave, x, event.altKey);
  }
  const node = nodeAt(stave, x, y);
  if (node !== null) return nodeGrip(stave, node);
  const way = slides(stave.form) ? wayAt(stave, x, y) : null;
  if (way !== null) return wayGrip(stave, way, x, event);
  const choose = spanGrip(x, event, () => {
    if (!closeShaping()) set({ span: null });
  });
  const ground =
    stave.open && isPedal(stave.kind) ? groundAt(stave.kind.key, Math.round(tickOf(desk().camera, x))) : null;
  if (!ground) return choose;
  // Along the lane a span is chosen; up or down the press is taken deeper, or less deep.
  const deepen = depthGrip(stave, ground, (at) => valueAtY(stave, at), y);
  let grip: Grip | null = null;
  return {
    move(toX, toY, now) {
      grip ??= Math.abs(toY - y) > Math.abs(toX - x) ? deepen : choose;
      grip.move(toX, toY, now);
    },
    done: (moved, now) => (grip ?? choose).done(moved, now),
  };
}

/** What is being shaped is kept and open no longer; false where nothing is. */
function closeShaping(): boolean {
  const was = desk().shaping !== null;
  if (was) close();
  return was;
}

/** Choose a span by dragging from here; without moving, what was `pressed`. */
function spanGrip(x: number, event: PointerEvent | MouseEvent, pressed: () => void): Grip {
  const choose = spanFrom(x, event.altKey);
  return {
    move: (to) => {
      closeShaping();
      choose(to);
    },
    done: (moved) => {
      if (!moved) pressed();
    },
  };
}

/** On curves of notes: a node, a way or a line where one is meant; otherwise the note whose curve is pressed, or a span. */
function ownLaneGrip(stave: LaneStave, x: number, y: number, event: PointerEvent | MouseEvent): Grip {
  const surface = laneSurface(stave);
  const grip = event.shiftKey ? null : ownGrip(surface, x, y, draws(event));
  if (grip) return grip;
  return spanGrip(x, event, () => {
    closeShaping();
    const hit = noteOfCurve(surface, x, y);
    if (hit) choosePressed(hit, event.shiftKey);
    else set({ span: null });
  });
}

function say(stave: LaneStave, x: number, y: number, value: number): void {
  set({ tip: { stave: stave.kind.key, x, y, text: textOf(stave.kind, value) } });
}

function end(): void {
  set({ tip: null });
  finish();
}

// ---- drawing

/** Freehand; straight with Shift; a click puts down one node. */
function drawGrip(stave: LaneStave, x: number, y: number, straight: boolean, free: boolean): Grip {
  if (desk().shaping) close();
  const at = (px: number, py: number): Point => [
    Math.max(Math.round(tickOf(desk().camera, Math.max(px, GUTTER))), 0),
    valueAtY(stave, py),
  ];
  const first = straight ? snapped(stave, x, y, free) : at(x, y);
  let points: readonly Point[] = [first];
  let before = first;
  return {
    move(toX, toY, now) {
      const point = straight ? snapped(stave, toX, toY, now.altKey) : at(toX, toY);
      points = straight ? addPoint([first], first, point) : addPoint(points, before, point);
      before = point;
      say(stave, toX, toY, point[1]);
      if (points.length < 2) return;
      const { tolerance, steps } = desk();
      preview({
        kind: "lane.draw",
        lane: stave.kind.key,
        where: onLead(),
        points: points.map(([tick, value]) => [tick, value]),
        tolerance: straight ? 0 : tolerance * beginning(stave.kind.key).tolerance,
        in_take: false,
        steps,
      });
    },
    done(moved) {
      if (!moved) addNode(stave, snapped(stave, x, y, free));
      end();
    },
  };
}

/** A single node: it slides on where the lane slides, and holds where it holds. */
export function addNode(stave: LaneStave, [tick, value]: Point): void {
  const nodes = keptLane(stave.kind.key);
  const before = nodes ? firstAbove(nodes.tick, tick) - 1 : -1;
  const moves =
    slides(stave.form) &&
    !desk().steps &&
    (!nodes || (before >= 0 ? nodes.moves[before] === 1 : nodes.tick.length < 2));
  preview({
    kind: "lane.nodes",
    lane: stave.kind.key,
    where: onLead([tick, tick + 1]),
    nodes: [{ tick, value, hold: !moves, lift: 0, ease: 0 }],
  });
}

// ---- nodes and ways

/** Nodes in sight, where they are few enough to be taken one by one. */
export function nodesInSight(nodes: LaneNodes | undefined): [number, number] {
  if (!nodes) return [0, 0];
  const { camera } = desk();
  const from = Math.max(firstAbove(nodes.tick, camera.left) - 1, 0);
  const to = firstAbove(nodes.tick, tickOf(camera, camera.width));
  return to - from > MOST_NODES ? [0, 0] : [from, to];
}

function nodeAt(stave: LaneStave, x: number, y: number): number | null {
  const nodes = keptLane(stave.kind.key);
  if (!nodes) return null;
  const { yOf } = scaleOf(stave);
  const [from, to] = nodesInSight(nodes);
  let best: number | null = null;
  let nearest = NODE_REACH;
  for (let node = from; node < to; node++) {
    const away = Math.hypot(xOf(desk().camera, nodes.tick[node]!) - x, yOf(nodes.value[node]!) - y);
    if (away <= nearest) [best, nearest] = [node, away];
  }
  return best;
}

/** Open a node with its numbers. */
export function openNode(stave: LaneStave, node: number): void {
  const old = asNode(keptLane(stave.kind.key) as LaneNodes, node);
  const span: [number, number] = [old.tick, old.tick + 1];
  if (desk().shaping) close();
  preview({ kind: "lane.nodes", lane: stave.kind.key, where: onLead(span), nodes: [old] });
  set({ span });
}

/** A node goes where it is dragged, between its neighbours. */
function nodeGrip(stave: LaneStave, node: number): Grip {
  const nodes = keptLane(stave.kind.key) as LaneNodes;
  const old = asNode(nodes, node);
  const low = node > 0 ? nodes.tick[node - 1]! + 1 : 0;
  const high = node + 1 < nodes.tick.length ? nodes.tick[node + 1]! - 1 : Number.MAX_SAFE_INTEGER;
  let begun = false;
  return {
    move(toX, toY, now) {
      if (!begun && desk().shaping) close();
      begun = true;
      const [tick, value] = snapped(stave, toX, toY, now.altKey);
      const held = between(now.shiftKey ? old.tick : tick, low, Math.max(high, low));
      say(stave, toX, toY, value);
      preview({
        kind: "lane.nodes",
        lane: stave.kind.key,
        where: onLead([Math.min(old.tick, held), Math.max(old.tick, held) + 1]),
        nodes: [{ ...old, tick: held, value }],
      });
    },
    done(moved) {
      if (!moved) {
        openNode(stave, node);
        return;
      }
      end();
    },
  };
}

function wayAt(stave: LaneStave, x: number, y: number): number | null {
  const nodes = keptLane(stave.kind.key);
  if (!nodes || nodesInSight(nodes)[1] === 0) return null;
  const tick = tickOf(desk().camera, x);
  const node = firstAbove(nodes.tick, tick) - 1;
  if (node < 0 || !nodes.moves[node] || node + 1 >= nodes.tick.length) return null;
  const level = valueAt(nodes, tick);
  const away = level === null ? 99 : Math.abs(scaleOf(stave).yOf(level) - y);
  return away <= WAY_REACH ? node : null;
}

/** A way is pulled up or down: that is its lift; with Shift held, its ease. */
function wayGrip(stave: LaneStave, node: number, x: number, event: PointerEvent | MouseEvent): Grip {
  const nodes = keptLane(stave.kind.key) as LaneNodes;
  const ends = [asNode(nodes, node), asNode(nodes, node + 1)];
  const tick = Math.round(tickOf(desk().camera, x));
  const fromY = event.clientY;
  let begun = false;
  return {
    move(toX, toY, now) {
      if (!begun && desk().shaping) close();
      begun = true;
      const span: [number, number] = [ends[0]!.tick, ends[1]!.tick + 1];
      const stroke: Stroke = { kind: "lane.nodes", lane: stave.kind.key, where: onLead(span), nodes: ends };
      if (now.shiftKey) {
        const ease = rounded(between(ends[0]!.ease + (fromY - now.clientY) / 80, 0, 1));
        set({ tip: { stave: stave.kind.key, x: toX, y: toY, text: `ease ${ease}` } });
        preview({ ...stroke, nodes: [{ ...ends[0]!, ease }, ends[1]!] });
      } else preview(stroke, [tick, valueAtY(stave, toY)]);
    },
    done(moved) {
      if (moved) end();
    },
  };
}

/** Take the span away, or all of the lane where no span is chosen. A node alone goes, and what it held with it. */
export function erase(key: string, span: [number, number] | null = desk().span): Stroke {
  if (span && span[1] - span[0] === 1)
    return { kind: "lane.nodes", lane: key, where: onLead(span), nodes: [] };
  return { kind: "lane.clear", lane: key, where: onLead(span) };
}
