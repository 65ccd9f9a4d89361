/** What the pointer does on the velocity lane: beads are moved, hairpins and lines drawn, notes chosen. */

import type { Hairpin, Stroke, Where } from "../../api/client";
import { plain } from "../../api/strokes";
import { VELOCITY, wordOf } from "../../score/lanes";
import { addPoint, type Point } from "../../score/path";
import type { PartScore } from "../../score/score";
import { between } from "../../ui/numbers";
import { GUTTER, tickOf } from "../page/camera";
import { inFront, selected } from "../take/choosing";
import { soundNote } from "../take/hearing";
import { shown } from "../take/layers";
import { close, finish, keep, preview } from "../take/shaping";
import { desk, draws, keptVelocities, kindOf, leadPart, set } from "../take/state";
import type { Grip } from "./grip";
import { choiceGrip, choosePressed, drawnTo, type Hit, noteAt, velocityAt } from "./picking";

/** The highest velocity. */
const most = () => kindOf(VELOCITY).high;

/** Over what a drawn line reaches: its own extent, within the span that is chosen. */
function overPoints(where: Where, points: readonly Point[]): Where {
  const [from, to] = [points[0]![0], points[points.length - 1]![0] + 1];
  const span = where.span ?? [from, to];
  return { ...where, span: [Math.max(from, span[0]), Math.max(Math.min(to, span[1]), span[0] + 1)] };
}

export function velocityGrip(x: number, y: number, event: PointerEvent): Grip | null {
  if (!leadPart() || x < GUTTER) return null;
  const wasOpen = desk().shaping !== null;
  const grip = gripAt(x, y, event);
  if (!wasOpen) return grip;
  // A stroke is open: a drag begins another one; a click closes it, and chooses where it meets a bead.
  const onBead = noteAt("bead", x, y) !== null;
  let begun = false;
  return {
    move(toX, toY, now) {
      if (!begun) close();
      begun = true;
      grip.move(toX, toY, now);
    },
    done(moved, up) {
      if (!begun) close();
      if (begun || onBead) grip.done(moved, up);
    },
  };
}

function gripAt(x: number, y: number, event: PointerEvent): Grip {
  if (draws(event)) return lineGrip(x, y, event.shiftKey);
  if (event.shiftKey) return choiceGrip("lane", x, y, event);
  const bead = noteAt("bead", x, y);
  if (bead) return beadGrip(bead, x, y, event);
  const where = selected();
  return where ? hairpinGrip(where, x, y, event) : choiceGrip("lane", x, y, event);
}

// ---- beads

/** A bead takes all that are chosen with it; one that is not chosen is chosen first. */
function beadGrip(hit: Hit, x: number, y: number, event: PointerEvent): Grip {
  const { part, note } = hit;
  const from = keptVelocities()[part.id]![note]!;
  const startLevel = velocityAt(y);
  let begun = false;
  return {
    move(toX, toY) {
      if (!begun && !desk().chosen[part.id]![note]!) choosePressed(hit, false);
      begun = true;
      const where = selected();
      if (!where) return;
      const by = velocityAt(toY) - startLevel;
      preview({ kind: "velocity.nudge", where, by, limit: desk().limit }, undefined, () =>
        showTip(toX, toY, part, note, from),
      );
    },
    done(moved, up) {
      set({ tip: null });
      if (begun) void keep();
      else if (!moved) choiceGrip("lane", x, y, event).done(false, up);
    },
  };
}

/** At the pointer: the value that the held note has come to, how far that is, and how many are at the end. */
function showTip(x: number, y: number, part: PartScore, note: number, from: number): void {
  const { layers, score, facts } = desk();
  if (!score) return;
  const value = shown(layers).velocities[part.id]![note]!;
  const moved = value - from;
  const way = moved ? ` (${moved > 0 ? "+" : "−"}${Math.abs(moved)})` : "";
  const atEnd = facts?.at_end ? `, ${facts.at_end} at the end` : "";
  set({ tip: { stave: VELOCITY, x, y, text: `${value} ${wordOf(kindOf(VELOCITY), value)}${way}${atEnd}` } });
  if (desk().chosenCount === 1) soundNote(part, note, value);
}

// ---- moving with keys and wheel

let holds = false;

/** All that are chosen, up or down; kept with `releaseNudge`, so that a key that is held is one stroke. */
export function nudge(by: number): void {
  const { shaping, limit } = desk();
  const where = selected();
  const open = shaping?.stroke;
  if (open?.kind === "velocity.nudge") preview({ ...open, by: between(open.by + by, -most(), most()) });
  else if (where) {
    close();
    preview({ kind: "velocity.nudge", where, by, limit });
  } else return;
  holds = true;
}

export async function releaseNudge(): Promise<void> {
  if (!holds) return;
  holds = false;
  await keep();
}

let wheelTimer = 0;
const WHEEL_REST_MS = 350;

export function nudgeByWheel(by: number): void {
  nudge(by);
  window.clearTimeout(wheelTimer);
  wheelTimer = window.setTimeout(() => void releaseNudge(), WHEEL_REST_MS);
}

// ---- the hairpin

function hairpinGrip(where: Where, x: number, y: number, event: PointerEvent): Grip {
  const start = drawnTo(x, event.altKey);
  const startLevel = velocityAt(y);
  let begun = false;
  return {
    move(toX, toY, now) {
      const end = drawnTo(Math.max(toX, GUTTER), now.altKey);
      if (end.tick === start.tick) return;
      begun = true;
      const endLevel = velocityAt(toY);
      const [first, last] = end.tick > start.tick ? [start, end] : [end, start];
      // The end of a span is not part of it; one tick more takes in the note that the line is drawn to.
      const span: [number, number] = [first.tick, last.tick + (last.onNote ? 1 : 0)];
      const levels: Pick<Hairpin, "start" | "end" | "peak"> = desk().thereAndBack
        ? { start: startLevel, peak: endLevel, end: startLevel }
        : end === last
          ? { start: startLevel, end: endLevel }
          : { start: endLevel, end: startLevel };
      preview(plain("velocity.hairpin", { where: { ...where, span }, ...levels }));
    },
    done(moved, up) {
      if (begun) void keep();
      else if (!moved) choiceGrip("lane", x, y, event).done(false, up);
    },
  };
}

// ---- lines drawn by hand

/** Freehand; or from end to end, straight. Going back over a stretch draws that anew. */
function lineGrip(x: number, y: number, straight: boolean): Grip {
  const pointAt = (atX: number, atY: number): Point => [
    Math.max(Math.round(tickOf(desk().camera, Math.max(atX, GUTTER))), 0),
    velocityAt(atY),
  ];
  const anchor: Point = [drawnTo(x, false).tick, pointAt(x, y)[1]];
  let points: readonly Point[] = [anchor];
  let before: Point = anchor;
  return {
    move(toX, toY) {
      const point = pointAt(toX, toY);
      const last = straight ? ([drawnTo(Math.max(toX, GUTTER), false).tick, point[1]] as const) : point;
      points = straight ? addPoint([anchor], anchor, last) : addPoint(points, before, last);
      before = last;
      if (points.length < 2) return;
      const stroke: Stroke = {
        kind: "velocity.draw",
        where: overPoints(inFront(), points),
        points: points.map(([tick, value]) => [tick, value]),
        accents: desk().accents,
      };
      preview(stroke);
    },
    done: finish,
  };
}
