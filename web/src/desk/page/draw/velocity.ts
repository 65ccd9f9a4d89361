/** The velocity lane: each note a level dash with a bead at its onset, so that a phrase reads as a contour. */

import type { LaneKind } from "../../../api/client";
import { type PartScore, sounding } from "../../../score/score";
import { between } from "../../../ui/numbers";
import { GUTTER, rightTick, xOf } from "../camera";
import { drawBox, drawGrid, drawGutter, drawSpan } from "./grid";
import { hair, MARK, polyline, SANS } from "./ink";
import { apart, fromOutside, LINE_PIXELS } from "./labels";
import { pixelOf, Raster } from "./raster";
import type { Scene } from "./scene";

const BEAD = 4;
const LEAST_MARK_PIXELS = 15;
/** More notes than that for each column of pixels are a crowd. */
const CROWD = 0.6;

/** With the words that players have for velocities. */
export interface VelocityScene extends Scene {
  words: LaneKind["words"];
}

export function drawVelocity(scene: VelocityScene): void {
  const { pen, ink, camera, scale, words } = scene;
  const height = camera.laneHeight;
  pen.fillStyle = ink.sheet;
  pen.fillRect(0, 0, camera.width, height);
  drawSpan(scene, height);
  drawGrid(scene, height);
  pen.strokeStyle = ink.rule;
  pen.lineWidth = 1;
  pen.beginPath();
  for (const { value } of words) hair(pen, GUTTER, scale.yOf(value), camera.width, scale.yOf(value));
  pen.globalAlpha = 0.5;
  pen.stroke();
  pen.globalAlpha = 1;
  for (const part of [...scene.fronts].reverse()) {
    if (scene.ghost) drawGhost(scene, part, scene.ghost[part.id]!);
    drawNotes(scene, part);
  }
  for (const mark of scene.kept) drawLine(scene, mark.line, false);
  if (scene.mark) drawLine(scene, scene.mark.line, true);
  drawBox(scene, "lane");
  drawGutter(scene, height);
  drawScales(scene, height);
}

function drawScales({ pen, ink, scale, words }: VelocityScene, height: number): void {
  pen.textBaseline = "middle";
  pen.textAlign = "right";
  pen.font = `italic 600 16px ${MARK}`;
  pen.fillStyle = ink.faded;
  // On a low lane not every mark has room.
  const marks = fromOutside(words);
  const heights = marks.map(({ value }) => scale.yOf(value) - 1);
  apart(heights, LEAST_MARK_PIXELS, 6, height - 6).forEach((fits, row) => {
    if (fits) pen.fillText(marks[row]!.word, GUTTER - 6, heights[row]!);
  });
  pen.font = `500 11px ${SANS}`;
  pen.textAlign = "left";
  pen.fillStyle = ink.ink;
  const numbers = fromOutside(scale.marks);
  const levels = numbers.map((number) => between(scale.yOf(number), 7, height - 7));
  apart(levels, LINE_PIXELS, 7, height - 7).forEach((fits, row) => {
    if (fits) pen.fillText(String(numbers[row]), 5, levels[row]!);
  });
}

function drawNotes(scene: Scene, part: PartScore): void {
  const { camera } = scene;
  const [from, to] = sounding(part, camera.left, rightTick(camera));
  if (to - from > CROWD * camera.width) drawCrowd(scene, part, from, to);
  else for (const warm of [false, true]) drawContour(scene, part, from, to, warm);
}

/** Dashes and beads. */
function drawContour(scene: Scene, part: PartScore, from: number, to: number, warm: boolean): void {
  const { pen, ink, camera, scale, voice } = scene;
  const picked = scene.picked[part.id]!;
  const velocities = scene.shown[part.id]!;
  const bead = Math.max(1.5, Math.min(BEAD, (camera.width / Math.max(to - from, 1)) * 2));
  const offset = GUTTER - camera.left * camera.perTick;
  const beads = new Path2D();
  pen.fillStyle = warm ? ink.accent : ink.dye(scene.dyeOf(part));
  pen.globalAlpha = 0.6;
  for (let note = from; note < to; note++) {
    if ((picked[note]! === 1) !== warm || (voice !== null && part.pitch[note] !== voice)) continue;
    const x = offset + part.start[note]! * camera.perTick;
    const y = scale.yOf(velocities[note]!);
    const end = offset + part.end[note]! * camera.perTick;
    if (end - x > 1) pen.fillRect(x, y - 1, end - x, 2);
    if (x < GUTTER - bead) continue;
    beads.moveTo(x + bead, y);
    beads.arc(x, y, bead, 0, 2 * Math.PI);
  }
  pen.globalAlpha = 1;
  pen.fill(beads);
  // Of several parts in front, what is chosen keeps the dye of its part as a ring.
  if (!warm || scene.fronts.length < 2) return;
  pen.strokeStyle = ink.dye(scene.dyeOf(part));
  pen.lineWidth = 1.6;
  pen.stroke(beads);
}

const raster = new Raster();

/** Far out there are more notes than columns of pixels. */
function drawCrowd(scene: Scene, part: PartScore, from: number, to: number): void {
  const { pen, ink, camera, scale, voice } = scene;
  const picked = scene.picked[part.id]!;
  const velocities = scene.shown[part.id]!;
  const offset = GUTTER - camera.left * camera.perTick;
  const colours = [pixelOf(ink.dye(scene.dyeOf(part)), 1), pixelOf(ink.accent, 1)];
  raster.begin(camera.width, camera.laneHeight);
  for (let note = from; note < to; note++) {
    if (voice !== null && part.pitch[note] !== voice) continue;
    const x = offset + part.start[note]! * camera.perTick;
    if (x < GUTTER - 1) continue;
    raster.rect(x - 1, scale.yOf(velocities[note]!) - 1, 2, 2, colours[picked[note]!]!);
  }
  raster.paint(pen);
}

/** What was there before, dotted. */
function drawGhost(scene: Scene, part: PartScore, ghost: Uint8Array): void {
  const { pen, ink, camera, scale } = scene;
  const shown = scene.shown[part.id]!;
  const [from, to] = sounding(part, camera.left, rightTick(camera));
  const offset = GUTTER - camera.left * camera.perTick;
  pen.strokeStyle = ink.ghost;
  pen.lineWidth = 1.5;
  pen.setLineDash([2, 3]);
  pen.beginPath();
  for (let note = from; note < to; note++) {
    if (ghost[note] === shown[note]! || (scene.voice !== null && part.pitch[note] !== scene.voice)) continue;
    const x = offset + part.start[note]! * camera.perTick;
    const y = scale.yOf(ghost[note]!);
    pen.moveTo(x, y);
    pen.lineTo(Math.max(offset + part.end[note]! * camera.perTick, x + 5), y);
  }
  pen.stroke();
  pen.setLineDash([]);
}

/** The line of a stroke: warm when it is open, a pencil's trace when it is not. */
function drawLine(
  { pen, ink, camera, scale }: Scene,
  line: readonly (readonly [number, number])[],
  isOpen: boolean,
): void {
  if (line.length < 2) return;
  pen.strokeStyle = isOpen ? ink.accent : ink.faded;
  pen.lineWidth = isOpen ? 2 : 1;
  pen.globalAlpha = isOpen ? 1 : 0.45;
  pen.lineJoin = "round";
  polyline(
    pen,
    line.map(([tick, value]) => [xOf(camera, tick), scale.yOf(value)] as const),
  );
  pen.globalAlpha = 1;
}
