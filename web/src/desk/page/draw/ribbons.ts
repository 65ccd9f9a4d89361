/** Notes as ribbons: sounding pitch by place, loudness by thickness, brightness by ink. */

import type { LaneNodes } from "../../../score/lanes";
import { type Contour, firstAbove, idOfRow, type PartScore, sounding } from "../../../score/score";
import { between } from "../../../ui/numbers";
import { type Camera, GUTTER, rightTick, xOf, yOfPitch } from "../camera";
import { drawBox, drawGrid, drawGutter, drawSpan } from "./grid";
import { SANS } from "./ink";
import { pixelOf, Raster } from "./raster";
import type { Scene } from "./scene";
import { drawThreads } from "./threads";

/** With more notes than this in sight, each is a plain bar. */
const SHAPED_UP_TO = 600;
/** Brightness is drawn in this many steps, from thin ink to full. */
const INKS = 5;
const THIN_INK = 0.5;
/** Notes of other voices than the one shown alone are drawn as if they were so soft. */
const FAINT = 8;
/** In pixels: what is drawn of a contour is no finer than this. */
const LEAST_STEP = 1;

/** The thickness of a ribbon: `loud` from nothing to 1. */
const thickness = (row: number, loud: number) => Math.max(1, row * (0.12 + 0.86 * loud));

export function drawRibbons(scene: Scene): void {
  const { pen, ink, camera } = scene;
  const { width, notesHeight: height } = camera;
  pen.fillStyle = ink.paper;
  pen.fillRect(0, 0, width, height);
  drawSpan(scene, height);
  drawGrid(scene, height);
  drawRows(scene);
  drawBars(scene, scene.behind, false);
  const isCrowd = (part: PartScore) => {
    const [from, to] = sounding(part, camera.left, rightTick(camera));
    return to - from > SHAPED_UP_TO;
  };
  const fronts = [...scene.fronts].reverse();
  drawBars(scene, fronts.filter(isCrowd), true);
  for (const part of fronts) if (!isCrowd(part)) drawShaped(scene, part);
  for (const part of fronts) drawWritten(scene, part);
  drawComing(scene);
  if (scene.pitches) drawPitchNodes(scene, scene.pitches);
  if (scene.threads?.length) drawThreads(scene, scene.threads);
  drawBox(scene, "notes");
  drawGutter(scene, height);
  drawNames(scene);
}

const allRows = (camera: Camera) => camera.pitches.length === 128;

/** A line at each octave, or between the rows where only some are shown. */
function drawRows({ pen, ink, camera, voice }: Scene): void {
  if (voice !== null && camera.rowOf[voice]! >= 0) {
    pen.fillStyle = ink.accentWash;
    pen.globalAlpha = 0.5;
    pen.fillRect(GUTTER, yOfPitch(camera, voice), camera.width, camera.row);
    pen.globalAlpha = 1;
  }
  pen.strokeStyle = ink.ruleStrong;
  pen.globalAlpha = 0.5;
  pen.lineWidth = 1;
  pen.beginPath();
  for (const pitch of camera.pitches) {
    if (allRows(camera) && pitch % 12) continue;
    const y = Math.round(yOfPitch(camera, pitch) + camera.row) + 0.5;
    if (y < 0 || y > camera.notesHeight) continue;
    pen.moveTo(GUTTER, y);
    pen.lineTo(camera.width, y);
  }
  pen.stroke();
  pen.globalAlpha = 1;
}

function drawNames({ pen, ink, camera, nameOf, fronts, voice }: Scene): void {
  pen.textAlign = "right";
  pen.textBaseline = "middle";
  pen.font = `500 12px ${SANS}`;
  const roomy = camera.row >= 11;
  for (const pitch of camera.pitches) {
    const y = yOfPitch(camera, pitch) + camera.row / 2;
    if (y < 6 || y > camera.notesHeight - 6) continue;
    const octave = allRows(camera) && pitch % 12 === 0;
    if (!octave && !(roomy && fronts.some((part) => isPlayed(part, pitch)))) continue;
    pen.fillStyle = pitch === voice ? ink.accent : octave || !allRows(camera) ? ink.ink : ink.faded;
    pen.fillText(nameOf(pitch), GUTTER - 8, y, GUTTER - 12);
  }
}

const played = new WeakMap<PartScore, Set<number>>();

function isPlayed(part: PartScore, pitch: number): boolean {
  let pitches = played.get(part);
  if (!pitches) {
    pitches = new Set(part.pitch);
    played.set(part, pitches);
  }
  return pitches.has(pitch);
}

const raster = new Raster();

/** Bars without shape: parts behind, and any part with very many notes in sight. */
function drawBars(scene: Scene, parts: readonly PartScore[], inFront: boolean): void {
  if (!parts.length) return;
  raster.begin(scene.camera.width, scene.camera.notesHeight);
  for (const part of parts) addBars(scene, part, inFront);
  raster.paint(scene.pen);
}

function addBars(scene: Scene, part: PartScore, inFront: boolean): void {
  const { ink, camera, voice } = scene;
  const picked = scene.picked[part.id]!;
  const velocities = scene.shown[part.id]!;
  const [from, to] = sounding(part, camera.left, rightTick(camera));
  const offset = GUTTER - camera.left * camera.perTick;
  const cold = pixelOf(ink.dye(scene.dyeOf(part)), inFront ? 0.92 : 0.22);
  const warm = pixelOf(ink.accent, 0.92);
  // Zoomed far out many notes share a pixel: of those in one row, only what reaches further is drawn.
  const drawnTo = new Float64Array(128).fill(-1e9);
  for (let note = from; note < to; note++) {
    const pitch = part.pitch[note]!;
    const isWarm = inFront && picked[note]! === 1;
    const start = offset + part.start[note]! * camera.perTick;
    const end = Math.max(offset + part.end[note]! * camera.perTick, start + 1.5);
    if ((end <= drawnTo[pitch]! + 0.5 && !isWarm) || end < GUTTER) continue;
    const y = yOfPitch(camera, pitch);
    if (y < -camera.row || y > camera.notesHeight) continue;
    const left = Math.max(isWarm ? start : Math.max(start, drawnTo[pitch]!), GUTTER - 20);
    drawnTo[pitch] = end;
    const faint = (voice !== null && pitch !== voice && inFront) || part.muted?.[note] === 1;
    const high =
      inFront && !faint
        ? thickness(camera.row, velocities[note]! / scene.scale.high)
        : Math.max(1, camera.row * 0.34);
    raster.rect(left, y + (camera.row - high) / 2, end - left, high, isWarm ? warm : cold);
  }
}

/** Ribbons with all that the core knows of their sound. */
function drawShaped(scene: Scene, part: PartScore): void {
  const { pen, ink, camera, voice } = scene;
  const [begun, to] = sounding(part, camera.left, rightTick(camera));
  const from = part.rings ? Math.min(begun, firstAbove(part.rings.reach, camera.left)) : begun;
  const picked = scene.picked[part.id]!;
  const velocities = scene.shown[part.id]!;
  // Of several parts in front, what is chosen keeps the dye of its part at its onset.
  const tried = scene.shapes.get(part.id);
  const isShaped = tried || part.contour;
  const onsets = scene.fronts.length > 1 ? new Path2D() : null;
  const inks = (["cold", "warm"] as const).map(() => Array.from({ length: INKS }, () => new Path2D()));
  const tails = [new Path2D(), new Path2D()];
  const silent = [new Path2D(), new Path2D()];
  for (let note = from; note < to; note++) {
    if (Math.max(part.end[note]!, part.rings?.until[note] ?? 0) < camera.left) continue;
    const y = yOfPitch(camera, part.pitch[note]!);
    if (y < -8 * camera.row || y > camera.notesHeight + 8 * camera.row) continue;
    const faint =
      (voice !== null && part.pitch[note] !== voice) ||
      (scene.closeUp != null && idOfRow(part, note) !== scene.closeUp);
    if (part.muted?.[note]) {
      addHollow(silent[picked[note]!]!, camera, part, note, y);
      continue;
    }
    const paths = inks[picked[note]!]!;
    if (picked[note]! && !faint)
      onsets?.rect(xOf(camera, part.start[note]!), y + camera.row * 0.1, 3, camera.row * 0.8);
    const row = note - (tried?.first ?? 0);
    const isTried = tried && row >= 0 && row < tried.contour.first.length - 1;
    const shape = isTried ? shapeOf(tried.contour, row) : shapeOf(part.contour, note);
    const touch = (faint ? FAINT : velocities[note]!) / scene.scale.high;
    addRibbon(paths, camera, part, note, shape, y + camera.row / 2, touch);
    const until = part.rings?.until[note];
    if (until) addTail(tails[picked[note]!]!, camera, part.end[note]!, until, y + camera.row / 2, touch);
  }
  tails.forEach((path, warm) => {
    pen.fillStyle = warm ? ink.accent : ink.dye(scene.dyeOf(part));
    pen.globalAlpha = 0.45;
    pen.fill(path);
  });
  inks.forEach((paths, warm) => {
    pen.fillStyle = warm ? ink.accent : ink.dye(scene.dyeOf(part));
    paths.forEach((path, step) => {
      pen.globalAlpha = isShaped ? THIN_INK + ((1 - THIN_INK) * step) / (INKS - 1) : 0.92;
      pen.fill(path);
    });
  });
  pen.globalAlpha = 1;
  silent.forEach((path, warm) => {
    pen.strokeStyle = warm ? ink.accent : ink.dye(scene.dyeOf(part));
    pen.lineWidth = 1;
    pen.setLineDash([3, 2.5]);
    pen.stroke(path);
    pen.setLineDash([]);
  });
  pen.fillStyle = ink.dye(scene.dyeOf(part));
  if (onsets) pen.fill(onsets);
}

/** A muted note: its place, and nothing in it. */
function addHollow(path: Path2D, camera: Camera, part: PartScore, note: number, y: number): void {
  const left = xOf(camera, part.start[note]!);
  const wide = Math.max(xOf(camera, part.end[note]!) - left, 2);
  const [top, high] = [y + camera.row * 0.28, camera.row * 0.44];
  path.rect(left, top, wide, high);
}

/** Where notes are written that are heard elsewhere: a thin outline; a run that nobody wrote has none. */
function drawWritten({ pen, ink, camera, dyeOf }: Scene, part: PartScore): void {
  const { row, start, end } = part.offPage;
  if (!row.length) return;
  const outlines = new Path2D();
  const until = rightTick(camera);
  for (let at = 0; at < row.length; at++) {
    if (end[at]! < camera.left || start[at]! > until) continue;
    const y = yOfPitch(camera, part.pitch[row[at]!]!);
    if (y < -camera.row || y > camera.notesHeight) continue;
    const left = Math.max(xOf(camera, start[at]!), GUTTER - 2);
    const right = xOf(camera, end[at]!);
    outlines.rect(left, y + 0.5, Math.max(right - left, 2), camera.row - 1);
  }
  pen.strokeStyle = ink.dye(dyeOf(part));
  pen.lineWidth = 0.75;
  pen.globalAlpha = 0.7;
  pen.stroke(outlines);
  pen.globalAlpha = 1;
}

/** What the pedal holds after the key is let go: thinner, to where it stops sounding. */
function addTail(
  path: Path2D,
  camera: Camera,
  end: number,
  until: number,
  middle: number,
  touch: number,
): void {
  const left = Math.max(xOf(camera, end), GUTTER - 2);
  const right = Math.min(xOf(camera, until), camera.width + 2);
  if (right - left < 1) return;
  const high = Math.max(thickness(camera.row, touch) * TAIL, 1);
  path.rect(left, middle - high / 2, right - left, high);
}

/** Of a ribbon's thickness, what is left in its tail. */
const TAIL = 0.3;

/** The points of one note: those of a contour from `first` to before `after`; none where nothing shapes it. */
interface Shape {
  contour: Contour | null;
  first: number;
  after: number;
}

const shapeOf = (contour: Contour | null, row: number): Shape => ({
  contour,
  first: contour?.first[row] ?? 0,
  after: contour?.first[row + 1] ?? 0,
});

function addRibbon(
  paths: Path2D[],
  camera: Camera,
  part: PartScore,
  note: number,
  { contour, first, after }: Shape,
  middle: number,
  touch: number,
): void {
  const offset = GUTTER - camera.left * camera.perTick;
  const start = offset + part.start[note]! * camera.perTick;
  const end = Math.max(offset + part.end[note]! * camera.perTick - 0.5, start + 1.5);
  if (!contour || after - first < 2) {
    const loud = contour && after > first ? contour.loud[first]! : 1;
    const bend = contour && after > first ? contour.bend[first]! : 0;
    const high = thickness(camera.row, touch * loud);
    const step = contour && after > first ? inkStep(contour.ink[first]!) : INKS - 1;
    const top = middle - bend * camera.row - high / 2;
    if (end - start > 3)
      paths[step]!.roundRect(start, top, end - start, high, Math.min(high, end - start) / 2);
    else paths[step]!.rect(start, top, end - start, high);
    return;
  }
  for (let point = first, next = first; point < after; point = next) {
    const x0 = start + contour.tick[point]! * camera.perTick;
    let x1 = x0;
    // Far out, many points share a pixel: the next one that is drawn to is a pixel on.
    while (next < after && x1 - x0 < LEAST_STEP) {
      next++;
      x1 = next < after ? start + contour.tick[next]! * camera.perTick : end;
    }
    if (x1 < GUTTER - 2 || x0 > camera.width) continue;
    const to = Math.min(next, after - 1);
    const [y0, y1] = [middle - contour.bend[point]! * camera.row, middle - contour.bend[to]! * camera.row];
    const h0 = thickness(camera.row, touch * contour.loud[point]!) / 2;
    const h1 = thickness(camera.row, touch * contour.loud[to]!) / 2;
    const path = paths[inkStep(contour.ink[point]!)]!;
    // Half a pixel over the joint, so that no paper shines through. Filling closes it: to close thousands of them in one
    // path takes the browser a time that grows with their square.
    path.moveTo(x0, y0 - h0);
    path.lineTo(x1 + 0.5, y1 - h1);
    path.lineTo(x1 + 0.5, y1 + h1);
    path.lineTo(x0, y0 + h0);
  }
}

/** What the open stroke would bring: in the colour of what is being shaped, hollow until it is kept. */
function drawComing({ pen, ink, camera, scale, coming, fronts }: Scene): void {
  pen.strokeStyle = ink.accent;
  pen.fillStyle = ink.accentWash;
  pen.lineWidth = 1;
  const until = rightTick(camera);
  for (const { part, start, end, pitch, velocity, bends } of coming) {
    if (!fronts.some(({ id }) => id === part)) continue;
    pen.beginPath();
    let after = 0;
    start.forEach((tick, note) => {
      const first = after;
      after += bends.count[note] ?? 0;
      const y = yOfPitch(camera, pitch[note]!);
      if (end[note]! < camera.left || tick > until || y < -camera.row || y > camera.notesHeight) return;
      const x = xOf(camera, tick);
      const high = thickness(camera.row, velocity[note]! / scale.high);
      const right = Math.max(xOf(camera, end[note]!), x + 2);
      const points = bends.tick
        .slice(first, after)
        .map((at, row) => ({
          x: xOf(camera, tick + at),
          y: y + (0.5 - bends.value[first + row]!) * camera.row,
        }))
        .filter((point) => point.x <= right);
      if (points[0]) addBent(pen, points, right, high / 2);
      else pen.rect(x, y + (camera.row - high) / 2, right - x, high);
    });
    pen.fill();
    pen.stroke();
  }
}

/** A note by how it is bent: along its upper side, and back along the lower. */
function addBent(
  pen: CanvasRenderingContext2D,
  points: { x: number; y: number }[],
  right: number,
  half: number,
): void {
  points.push({ x: right, y: points.at(-1)!.y });
  pen.moveTo(points[0]!.x, points[0]!.y - half);
  for (const { x, y } of points) pen.lineTo(x, y - half);
  for (const { x, y } of points.reverse()) pen.lineTo(x, y + half);
  pen.closePath();
}

/** Brightness of 0 to 100 in steps; 25 is where a sound is that nobody has shaped. */
function inkStep(ink: number): number {
  return between(Math.round(((ink - 10) / 55) * (INKS - 1)), 0, INKS - 1);
}

/** Nodes of the chosen notes' pitch, on their ribbons. */
function drawPitchNodes({ pen, ink, camera, fronts, picked }: Scene, lane: LaneNodes): void {
  const part = fronts[0]!;
  const [from, to] = sounding(part, camera.left, rightTick(camera));
  const dots = new Path2D();
  let count = 0;
  for (let note = from; note < to && count < MOST_PITCH_NODES; note++) {
    if (!picked[part.id]![note]!) continue;
    const own = lane.notes?.get(idOfRow(part, note));
    const middle = yOfPitch(camera, part.pitch[note]!) + camera.row / 2;
    for (let node = 0; own && node < own.tick.length; node++) {
      const tick = part.start[note]! + own.tick[node]!;
      const x = xOf(camera, tick);
      if (tick > part.end[note]! || x < GUTTER - 4 || x > camera.width) continue;
      const y = middle - own.value[node]! * camera.row;
      dots.moveTo(x + 3.5, y);
      dots.arc(x, y, 3.5, 0, 2 * Math.PI);
      count++;
    }
  }
  pen.fillStyle = ink.sheet;
  pen.strokeStyle = ink.ink;
  pen.lineWidth = 1.3;
  pen.fill(dots);
  pen.stroke(dots);
}

const MOST_PITCH_NODES = 500;
