/** Curves of notes, each over its own length: those of the chosen notes strong, the others faint. */

import type { LaneNodes } from "../../../score/lanes";
import { idOfRow, type PartScore, sounding } from "../../../score/score";
import { GUTTER, rightTick, xOf } from "../camera";
import type { LaneScene } from "./lane";

/** Of more notes in sight nobody takes nodes one by one. */
const MOST_DOTTED = 120;

interface Curve {
  note: number;
  own: LaneNodes | undefined;
  was: LaneNodes | undefined;
}

export function drawOwn(scene: LaneScene, lane: LaneNodes | undefined): void {
  const { camera, fronts } = scene;
  const part = fronts[0]!;
  const picked = scene.picked[part.id]!;
  const [from, to] = sounding(part, camera.left, rightTick(camera));
  const strong: Curve[] = [];
  const faint: Curve[] = [];
  for (let note = from; note < to; note++) {
    if (part.end[note]! < camera.left) continue;
    const id = idOfRow(part, note);
    const curve = { note, own: lane?.notes?.get(id), was: scene.was?.notes?.get(id) };
    (picked[note]! ? strong : faint).push(curve);
  }
  drawCurves(scene, part, faint, strong.length || !scene.ofNotes ? 0.3 : 0.75);
  drawRests(scene, part, strong);
  if (scene.open) drawWas(scene, part, strong);
  drawCurves(scene, part, strong, 1);
  if (scene.open && strong.length <= MOST_DOTTED) drawDots(scene, part, strong);
  if (scene.open && scene.spread) drawSpread(scene, part, strong, scene.spread);
}

/** Where a chosen note has no curve yet: a press there begins one. */
function drawRests({ pen, ink, camera, scale, open }: LaneScene, part: PartScore, curves: Curve[]): void {
  if (!open) return;
  pen.strokeStyle = ink.ruleStrong;
  pen.lineWidth = 1;
  pen.setLineDash([1, 3]);
  pen.beginPath();
  for (const { note, own } of curves) {
    if (own) continue;
    pen.moveTo(xOf(camera, part.start[note]!), scale.yOf(scale.middle));
    pen.lineTo(xOf(camera, part.end[note]!), scale.yOf(scale.middle));
  }
  pen.stroke();
  pen.setLineDash([]);
}

function drawCurves(scene: LaneScene, part: PartScore, curves: Curve[], strength: number): void {
  const { pen, ink, dyeOf, open } = scene;
  const path = new Path2D();
  const heads = new Path2D();
  for (const { note, own } of curves) if (own) trace(scene, path, heads, part, note, own);
  pen.globalAlpha = strength;
  pen.strokeStyle = pen.fillStyle = ink.dye(dyeOf(part));
  pen.lineWidth = open ? 1.6 : 1;
  pen.stroke(path);
  if (open) pen.fill(heads);
  pen.globalAlpha = 1;
}

/** A note's curve from its start to its end; its onset is a short foot, so that one note is told from the next. */
function trace(
  { camera, scale }: LaneScene,
  path: Path2D,
  heads: Path2D,
  part: PartScore,
  note: number,
  own: LaneNodes,
): void {
  const [start, end] = [part.start[note]!, part.end[note]!];
  const right = xOf(camera, end);
  let y = scale.yOf(own.tick[0]! > 0 ? scale.middle : own.value[0]!);
  path.moveTo(xOf(camera, start), y);
  heads.rect(xOf(camera, start) - 0.75, y - 4, 1.5, 8);
  for (let node = 0; node < own.tick.length; node++) {
    const x = xOf(camera, start + own.tick[node]!);
    if (x > right + 0.5) break;
    const next = scale.yOf(own.value[node]!);
    if (!own.moves[node - 1]) path.lineTo(x, y);
    path.lineTo(x, next);
    y = next;
    for (const [tick, value] of own.bent.get(node)?.line ?? []) {
      if (start + tick > end) break;
      path.lineTo(xOf(camera, start + tick), scale.yOf(value));
    }
  }
  const last = own.tick.length - 1;
  if (start + own.tick[last]! < end) path.lineTo(right, y);
}

/** As they were before the open stroke, dotted. */
function drawWas(scene: LaneScene, part: PartScore, curves: Curve[]): void {
  const { pen, ink } = scene;
  const path = new Path2D();
  for (const { note, own, was } of curves)
    if (was && was !== own) trace(scene, path, new Path2D(), part, note, was);
  pen.strokeStyle = ink.ghost;
  pen.lineWidth = 1.4;
  pen.setLineDash([2, 3]);
  pen.stroke(path);
  pen.setLineDash([]);
}

function drawDots(scene: LaneScene, part: PartScore, curves: Curve[]): void {
  const { pen, ink, camera, scale, dyeOf } = scene;
  const dots = new Path2D();
  for (const { note, own } of curves) {
    for (let node = 0; own && node < own.tick.length; node++) {
      const tick = part.start[note]! + own.tick[node]!;
      const [x, y] = [xOf(camera, tick), scale.yOf(own.value[node]!)];
      if (tick > part.end[note]! || x < GUTTER - 4 || x > camera.width + 4) continue;
      dots.moveTo(x + 3, y);
      dots.arc(x, y, 3, 0, 2 * Math.PI);
    }
  }
  pen.fillStyle = ink.sheet;
  pen.strokeStyle = ink.dye(dyeOf(part));
  pen.lineWidth = 1.2;
  pen.fill(dots);
  pen.stroke(dots);
}

/** How far nodes may be scattered: a bow above and below where each was. */
function drawSpread(scene: LaneScene, part: PartScore, curves: Curve[], spread: number): void {
  const { pen, ink, camera, scale } = scene;
  pen.strokeStyle = ink.accent;
  pen.lineWidth = 1;
  pen.beginPath();
  for (const { note, own, was } of curves) {
    const from = was ?? own;
    for (let node = 0; from && node < from.tick.length; node++) {
      const x = xOf(camera, part.start[note]! + from.tick[node]!);
      if (x < GUTTER || x > camera.width) continue;
      for (const way of [1, -1]) {
        const y = scale.yOf(from.value[node]! + way * spread);
        pen.moveTo(x - 4, y + way * 2);
        pen.quadraticCurveTo(x, y - way * 2, x + 4, y + way * 2);
      }
    }
  }
  pen.stroke();
}
