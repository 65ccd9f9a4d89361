/** What the pointer does to curves of notes: on their lanes, and for their pitch on the ribbons themselves. */
import type { Stroke, Where } from "../../api/client";
import { type LaneNodes, textOf, valueAt } from "../../score/lanes";
import { NOTE_PITCH } from "../../score/own";
import { addPoint, type Point } from "../../score/path";
import { firstAbove, idOfRow, nearestLine, type PartScore, rangesOf, sounding } from "../../score/score";
import { between, rounded } from "../../ui/numbers";
import { GUTTER, tickOf, xOf, yOfPitch } from "../page/camera";
import type { LaneStave } from "../stage/laneStage";
import { beginning } from "../strokes/numbers";
import { noteName } from "../take/arranging";
import { close, finish, preview } from "../take/shaping";
import { desk, keptLane, kindOf, laneLevels, leadPart, set } from "../take/state";
import type { Grip } from "./grip";
import { reachFrom } from "./reaching";

const NODE_REACH = 8;
const WAY_REACH = 6;
const RIBBON_REACH = 9;
/** A value is drawn to a round one within so many steps. */
const ROUND_REACH = 2;

type Nodes = Extract<Stroke, { kind: "lane.nodes" }>["nodes"];

/** Where values lie: on a lane of its own, or on the ribbon of each note. */
export interface Surface {
  stave: string;
  lane: string;
  yOf: (part: PartScore, note: number, value: number) => number;
  valueAt: (part: PartScore, note: number, y: number) => number;
}

export function laneSurface({ kind, height }: LaneStave): Surface {
  const scale = laneLevels(kind, height);
  return {
    stave: kind.key,
    lane: kind.key,
    yOf: (_part, _note, value) => scale.yOf(value),
    valueAt: (_part, _note, y) => scale.valueAt(y),
  };
}

/** Pitch, on the notes themselves: a row is a semitone. */
export function ribbonSurface(): Surface {
  const middle = (part: PartScore, note: number) => {
    const { camera } = desk();
    return yOfPitch(camera, part.pitch[note]!) + camera.row / 2;
  };
  return {
    stave: "notes",
    lane: NOTE_PITCH,
    yOf: (part, note, value) => middle(part, note) - value * desk().camera.row,
    valueAt: (part, note, y) => (middle(part, note) - y) / desk().camera.row,
  };
}

interface Met {
  part: PartScore;
  note: number;
  id: number;
  own: LaneNodes | undefined;
}

const ownOfNote = (lane: string, id: number) => keptLane(lane)?.notes?.get(id);

/** The value of a note's curve at a tick from its start: at rest where it has none yet. */
function levelOf(lane: string, own: LaneNodes | undefined, tick: number): number {
  return (own ? valueAt(own, tick) : null) ?? kindOf(lane).default;
}

/** The note whose curve is nearest to the pointer, and how far that is; the chosen ones first, where they are `preferred`. */
function noteNear(
  surface: Surface,
  x: number,
  y: number,
  preferred = true,
): { met: Met; away: number } | null {
  const { camera, chosen } = desk();
  const part = leadPart();
  if (!part) return null;
  const tick = tickOf(camera, x);
  const [from, to] = sounding(part, tick, tick);
  let best: { met: Met; away: number; rank: number } | null = null;
  for (let note = from; note < to; note++) {
    if (part.end[note]! <= tick) continue;
    const id = idOfRow(part, note);
    const own = ownOfNote(surface.lane, id);
    const value = levelOf(surface.lane, own, tick - part.start[note]!);
    const away = Math.abs(surface.yOf(part, note, value) - y);
    const rank = away + (!preferred || chosen[part.id]![note]! ? 0 : 1e4);
    if (!best || rank < best.rank) best = { met: { part, note, id, own }, away, rank };
  }
  return best;
}

/** All chosen notes where the one that is meant is among them; that one alone otherwise. */
function notesWith({ part, note, id }: Met): Where {
  const { chosen, chosenCount } = desk();
  const all = chosenCount > 1 && chosen[part.id]![note]! === 1;
  return { parts: [part.id], notes: all ? rangesOf(part, chosen[part.id]!) : [[id, id]] };
}

const alone = ({ part, id }: Met, span?: [number, number]): Where => ({
  parts: [part.id],
  notes: [[id, id]],
  ...(span ? { span } : {}),
});

/** A place on a note's curve: ticks from its start on the grid, and a value at semitones or round ones; Alt frees both. */
function placed(surface: Surface, met: Met, x: number, y: number, free: boolean): Point {
  const { camera, score, grid } = desk();
  const { part, note } = met;
  const kind = kindOf(surface.lane);
  const exact = Math.round(tickOf(camera, Math.max(x, GUTTER)));
  const line = score && grid.snap && !free ? nearestLine(score, exact, grid) : exact;
  // The grid pulls only where it is as near as a hand is exact.
  const tick = Math.abs(line - exact) * camera.perTick <= NODE_REACH ? line : exact;
  const value = between(surface.valueAt(part, note, y), kind.low, kind.high);
  const local = between(tick - part.start[note]!, 0, part.end[note]! - part.start[note]!);
  if (free) return [local, rounded(value, kind.decimals)];
  if (surface.lane === NOTE_PITCH) return [local, rounded(reachFrom(part.pitch[note]!, value), 2)];
  return [local, kind.rounds.find((round) => Math.abs(round - value) <= ROUND_REACH) ?? rounded(value)];
}

function say(surface: Surface, met: Met, x: number, y: number, value: number): void {
  const pitch = met.part.pitch[met.note]! + Math.round(value);
  const reached = surface.lane === NOTE_PITCH && pitch >= 0 && pitch < 128 ? `, ${noteName(pitch)}` : "";
  set({ tip: { stave: surface.stave, x, y, text: `${textOf(kindOf(surface.lane), value)}${reached}` } });
}

function end(): void {
  set({ tip: null });
  finish();
}

/** The gesture that a press begins on curves of notes; none where it meets none. */
export function ownGrip(surface: Surface, x: number, y: number, draw: boolean): Grip | null {
  const near = noteNear(surface, x, y);
  const node = nodeNear(surface, x, y);
  if (node && !draw) return nodeGrip(surface, node.met, node.node);
  if (!near) return null;
  const { met, away } = near;
  if (draw) return drawGrip(surface, met, x, y);
  const way = away <= WAY_REACH ? wayOf(met, tickOf(desk().camera, x)) : null;
  if (way !== null) return wayGrip(surface, met, way, x);
  const isChosen = desk().chosen[met.part.id]![met.note]! === 1;
  const reach = surface.stave === "notes" ? RIBBON_REACH : WAY_REACH;
  return isChosen && away <= reach ? pressGrip(surface, met, x, y) : null;
}

/** A press on a chosen note's curve puts a node down there, and the drag takes it along. */
function pressGrip(surface: Surface, met: Met, x: number, y: number): Grip {
  let begun = false;
  const put = (toX: number, toY: number, free: boolean) => {
    if (!begun && desk().shaping) close();
    begun = true;
    const [tick, value] = placed(surface, met, toX, toY, free);
    say(surface, met, toX, toY, value);
    preview(noded(surface.lane, met, [tick, value]));
  };
  return {
    move: (toX, toY, now) => put(toX, toY, now.altKey),
    done(moved, up) {
      if (!moved) put(x, y, up.altKey);
      end();
    },
  };
}

/** A node more. The first of a note comes with one at its start, from which the way goes. */
function noded(lane: string, met: Met, [tick, value]: Point): Stroke {
  const node = { tick, value, hold: false, lift: 0, ease: 0 };
  const first = { ...node, tick: 0, value: kindOf(lane).default };
  const begins = !met.own && tick > 0;
  return {
    kind: "lane.nodes",
    lane,
    where: alone(met, [begins ? 0 : tick, tick + 1]),
    nodes: begins ? [first, node] : [node],
  };
}

/** Freehand over the note under the pointer; all that are chosen with it get the same, each from its own start. */
function drawGrip(surface: Surface, met: Met, x: number, y: number): Grip {
  if (desk().shaping) close();
  const start = placed(surface, met, x, y, true);
  let points: readonly Point[] = [start];
  let before = start;
  return {
    move(toX, toY) {
      const point = placed(surface, met, toX, toY, true);
      points = addPoint(points, before, point);
      before = point;
      say(surface, met, toX, toY, point[1]);
      if (points.length < 2) return;
      const { tolerance, steps } = desk();
      preview({
        kind: "lane.draw",
        lane: surface.lane,
        where: notesWith(met),
        points: points.map(([tick, value]) => [tick, value]),
        tolerance: tolerance * beginning(surface.lane).tolerance,
        in_take: false,
        steps,
      });
    },
    done(moved, up) {
      if (!moved) preview(noded(surface.lane, met, placed(surface, met, x, y, up.altKey)));
      end();
    },
  };
}

// ---- nodes and ways

function nodeNear(surface: Surface, x: number, y: number): { met: Met; node: number } | null {
  const { camera, chosen, chosenCount } = desk();
  const part = leadPart();
  const curves = keptLane(surface.lane)?.notes;
  if (!part || !curves) return null;
  const [from, to] = sounding(part, tickOf(camera, x - NODE_REACH), tickOf(camera, x + NODE_REACH));
  let best: { met: Met; node: number } | null = null;
  let nearest = NODE_REACH;
  for (let note = from; note < to; note++) {
    if (chosenCount && !chosen[part.id]![note]!) continue;
    const id = idOfRow(part, note);
    const own = curves.get(id);
    for (let node = 0; own && node < own.tick.length; node++) {
      const tick = part.start[note]! + own.tick[node]!;
      if (tick > part.end[note]!) break;
      const away = Math.hypot(xOf(camera, tick) - x, surface.yOf(part, note, own.value[node]!) - y);
      if (away <= nearest) [best, nearest] = [{ met: { part, note, id, own }, node }, away];
    }
  }
  return best;
}

/** A node that stands, as a stroke names it. */
export function asNode(own: LaneNodes, node: number): Nodes[number] {
  const bent = own.bent.get(node);
  return {
    tick: own.tick[node]!,
    value: rounded(own.value[node]!, 3),
    hold: own.moves[node] === 0,
    lift: bent?.lift ?? 0,
    ease: bent?.ease ?? 0,
  };
}

/** A node goes where it is dragged, between its neighbours and within its note; Shift keeps its time. */
function nodeGrip(surface: Surface, met: Met, node: number): Grip {
  const own = met.own as LaneNodes;
  const old = asNode(own, node);
  const low = node > 0 ? own.tick[node - 1]! + 1 : 0;
  const last = met.part.end[met.note]! - met.part.start[met.note]!;
  const high = node + 1 < own.tick.length ? own.tick[node + 1]! - 1 : last;
  let begun = false;
  return {
    move(toX, toY, now) {
      if (!begun && desk().shaping) close();
      begun = true;
      const [tick, value] = placed(surface, met, toX, toY, now.altKey);
      const held = between(now.shiftKey || node === 0 ? old.tick : tick, low, Math.max(high, low));
      say(surface, met, toX, toY, value);
      preview({
        kind: "lane.nodes",
        lane: surface.lane,
        where: alone(met, [Math.min(old.tick, held), Math.max(old.tick, held) + 1]),
        nodes: [{ ...old, tick: held, value }],
      });
    },
    done(moved) {
      if (moved) return end();
      if (desk().shaping) close();
      preview({
        kind: "lane.nodes",
        lane: surface.lane,
        where: alone(met, [old.tick, old.tick + 1]),
        nodes: [old],
      });
    },
  };
}

function wayOf({ part, note, own }: Met, tick: number): number | null {
  if (!own) return null;
  const node = firstAbove(own.tick, tick - part.start[note]!) - 1;
  return node >= 0 && own.moves[node] && node + 1 < own.tick.length ? node : null;
}

/** A way is pulled up or down: that is its lift; with Shift held, its ease. */
function wayGrip(surface: Surface, met: Met, node: number, x: number): Grip {
  const own = met.own as LaneNodes;
  const ends = [asNode(own, node), asNode(own, node + 1)];
  const tick = Math.round(tickOf(desk().camera, x));
  const span: [number, number] = [ends[0]!.tick, ends[1]!.tick + 1];
  let begun = false;
  let fromY = Number.NaN;
  return {
    move(toX, toY, now) {
      if (!begun && desk().shaping) close();
      if (!begun) fromY = toY;
      begun = true;
      const stroke: Stroke = { kind: "lane.nodes", lane: surface.lane, where: alone(met, span), nodes: ends };
      if (now.shiftKey) {
        const ease = rounded(between(ends[0]!.ease + (fromY - toY) / 80, 0, 1));
        set({ tip: { stave: surface.stave, x: toX, y: toY, text: `ease ${ease}` } });
        preview({ ...stroke, nodes: [{ ...ends[0]!, ease }, ends[1]!] });
      } else preview(stroke, [tick, surface.valueAt(met.part, met.note, toY)]);
    },
    done(moved, up) {
      if (moved) return end();
      // A press without a drag is a node more, on the way.
      pressGrip(surface, met, x, surface.yOf(met.part, met.note, levelAtX(surface, met, x))).done(false, up);
    },
  };
}

const levelAtX = (surface: Surface, { part, note, own }: Met, x: number) =>
  levelOf(surface.lane, own, tickOf(desk().camera, x) - part.start[note]!);

/** Choose the note whose curve is under the pointer, if any is near. */
export function noteOfCurve(
  surface: Surface,
  x: number,
  y: number,
): { part: PartScore; note: number } | null {
  const near = noteNear(surface, x, y, false);
  return near && near.away <= RIBBON_REACH ? near.met : null;
}
