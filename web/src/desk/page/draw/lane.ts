/** A lane of recorded or shaped nodes: thin as a strip, tall when it is open. */

import type { Form } from "../../../api/client";
import { extremesOf } from "../../../score/extremes";
import { HOLDS_FROM, type LaneNodes, slides } from "../../../score/lanes";
import { firstAbove, isAlone, secondsAt, sounding } from "../../../score/score";
import { between } from "../../../ui/numbers";
import { type Camera, GUTTER, rightTick, tickOf, xOf } from "../camera";
import type { Scale } from "../scale";
import { drawGrid, drawGutter, drawSpan } from "./grid";
import { hair, polyline, SANS } from "./ink";
import { apart, fromOutside, LINE_PIXELS } from "./labels";
import { drawOwn } from "./own";
import { pixelOf, Raster } from "./raster";
import type { Scene } from "./scene";

/** Nodes lie too close together to be taken one by one where there are more in sight than this. */
export const MOST_NODES = 240;

/** A recorded sound beside the take: when it begins, and how far it goes out (0 to 255 for each fraction of a second). */
export interface TakeAudio {
  name: string;
  seconds: number;
  offset: number;
  peaksASecond: number;
  peaks: Uint8Array;
  heard: boolean;
  /** Its pitch, brightness and attacks are known. */
  followed: boolean;
}

export interface LaneScene extends Scene {
  form: Form;
  nodes: LaneNodes | undefined;
  /** The lane as it was, where a stroke that is being made has changed it. */
  was: LaneNodes | undefined;
  height: number;
  sound: TakeAudio | null;
  open: boolean;
  /** Of the wheel: how far it goes either way, from each tick on. */
  ranges: readonly (readonly [number, number])[];
  /** What else acts on it, where. */
  inForce: readonly { tick: number; what: string }[];
  /** The first onset of the part: before it a lane should have a value. */
  firstNote: number;
  /** It is one of curves that notes have by themselves; and how far the open stroke scatters their nodes. */
  ofNotes: boolean;
  /** What stands under the curves of notes, or on top of the lane. */
  beside: LaneNodes | undefined;
  spread: number | null;
}

export function drawLane(scene: LaneScene): void {
  const { pen, ink, camera, form, nodes, height, open } = scene;
  pen.fillStyle = ink.sheet;
  pen.fillRect(0, 0, camera.width, height);
  drawSpan(scene, height);
  drawGrid(scene, height);
  if (open && scene.sound) drawSound(scene, scene.sound);
  if (open) drawScaleLines(scene);
  if (open && scene.ranges.length) {
    drawReached(scene);
    drawRanges(scene);
    drawInForce(scene);
  }
  if (open && scene.beside) drawBeside(scene, scene.beside);
  if (scene.ofNotes) drawOwn(scene, nodes);
  if (scene.was?.tick.length && slides(form)) drawGhost(scene, scene.was);
  if (nodes?.tick.length) {
    drawNoValue(scene, nodes);
    if (form === "pedal") drawDepth(scene, nodes);
    else if (slides(form)) drawSteps(scene, nodes);
    else drawSwitch(scene, nodes);
    // What is on or off is moved by the ends of its ground.
    if (open && slides(form)) drawNodes(scene, nodes);
  }
  drawMarks(scene);
  if (scene.mark && open) drawLine(scene, scene.mark.line);
  drawGutter(scene, height);
  if (open) drawScale(scene);
}

/** The sound beside the take, pale behind the lane: how far it goes out at each place. */
function drawSound({ pen, ink, camera, score, scale }: LaneScene, sound: TakeAudio): void {
  const [above, tall] = [scale.yOf(scale.high), scale.yOf(scale.low) - scale.yOf(scale.high)];
  pen.fillStyle = ink.rule;
  for (let x = GUTTER; x < camera.width; x++) {
    const [a = 0, b = 0] = [x, x + 1].map(
      (px) => (secondsAt(score, tickOf(camera, px)) - sound.offset) * sound.peaksASecond,
    );
    if (b < 0 || a >= sound.peaks.length) continue;
    let most = 0;
    for (let peak = Math.max(Math.floor(a), 0); peak <= Math.min(b, sound.peaks.length - 1); peak++)
      most = Math.max(most, sound.peaks[peak]!);
    const high = (most / 255) * tall;
    pen.fillRect(x, above + (tall - high) / 2, 1, Math.max(high, 1));
  }
}

function drawScaleLines({ pen, ink, camera, scale }: LaneScene): void {
  pen.strokeStyle = ink.rule;
  pen.globalAlpha = 0.6;
  pen.lineWidth = 1;
  pen.beginPath();
  for (const value of scale.marks) hair(pen, GUTTER, scale.yOf(value), camera.width, scale.yOf(value));
  pen.stroke();
  pen.globalAlpha = 1;
}

/** Where the wheel ends, dashed: what is drawn further out is not heard. */
function drawRanges({ pen, ink, camera, scale, height, ranges }: LaneScene): void {
  pen.strokeStyle = ink.ghost;
  pen.fillStyle = ink.faded;
  pen.font = `500 11px ${SANS}`;
  pen.textAlign = "left";
  pen.textBaseline = "bottom";
  pen.lineWidth = 1;
  pen.setLineDash([4, 3]);
  pen.beginPath();
  ranges.forEach(([tick, semitones], row) => {
    const left = Math.max(xOf(camera, tick), GUTTER);
    const right = Math.min(xOf(camera, ranges[row + 1]?.[0] ?? Number.MAX_SAFE_INTEGER), camera.width);
    if (right <= left) return;
    for (const end of [semitones, -semitones]) {
      if (end > scale.high || end < scale.low) continue;
      hair(pen, left, scale.yOf(end), right, scale.yOf(end));
    }
    if (tick > 0 && left > GUTTER) {
      hair(pen, left, 22, left, height);
      pen.fillText(`±${semitones}`, left + 3, height - 2);
    }
  });
  pen.stroke();
  pen.setLineDash([]);
}

/** Lines of semitones are named where a note sounds alone: by the notes that a bend comes to from it. */
function drawReached({ pen, ink, camera, scale, height, fronts, nameOf }: LaneScene): void {
  const part = fronts[0]!;
  const marks = scale.marks.filter(Number.isInteger);
  const [from, to] = sounding(part, camera.left, rightTick(camera));
  pen.font = `500 10px ${SANS}`;
  pen.textAlign = "left";
  pen.textBaseline = "bottom";
  pen.fillStyle = ink.faded;
  pen.strokeStyle = ink.ruleStrong;
  pen.lineWidth = 1;
  pen.beginPath();
  for (let note = from; note < to; note++) {
    if (!isAlone(part, note)) continue;
    const left = Math.max(xOf(camera, part.start[note]!), GUTTER);
    const right = Math.min(xOf(camera, part.end[note]!), camera.width);
    if (right - left < NAMED_FROM) continue;
    hair(pen, left, 24, left, height - 4);
    for (const value of marks) {
      const pitch = part.pitch[note]! + value;
      const y = scale.yOf(value) - 1;
      if (pitch >= 0 && pitch < 128 && y > BELOW_TITLE) pen.fillText(nameOf(pitch), left + 3, y);
    }
  }
  pen.globalAlpha = 0.5;
  pen.stroke();
  pen.globalAlpha = 1;
}

const BELOW_TITLE = 34;
/** In pixels: on a shorter note there is no room for names. */
const NAMED_FROM = 44;

/** Resets, and other tracks of the channel, where they act on the bend. */
function drawInForce({ pen, ink, camera, height, inForce }: LaneScene): void {
  pen.strokeStyle = ink.ink;
  pen.fillStyle = ink.ink;
  pen.font = `500 11px ${SANS}`;
  pen.textAlign = "left";
  pen.textBaseline = "top";
  pen.lineWidth = 1;
  pen.setLineDash([1, 2]);
  const written = [Number.NEGATIVE_INFINITY, Number.NEGATIVE_INFINITY];
  for (const { tick, what } of inForce) {
    const x = xOf(camera, tick);
    if (x < GUTTER || x > camera.width) continue;
    pen.beginPath();
    hair(pen, x, 24, x, height);
    pen.stroke();
    // What would lie on another goes a line lower.
    const line = written.findIndex((until) => x >= until);
    if (line < 0) continue;
    pen.fillText(what, x + 3, 25 + 13 * line);
    written[line] = x + pen.measureText(what).width + 12;
  }
  pen.setLineDash([]);
}

const BELOW_NAME = 30;

function drawScale({ pen, ink, height, scale }: LaneScene): void {
  pen.font = `500 11px ${SANS}`;
  pen.textAlign = "right";
  pen.textBaseline = "middle";
  pen.fillStyle = ink.faded;
  // The name of the lane stands above them.
  const marks = fromOutside(scale.marks);
  const heights = marks.map((value) => between(scale.yOf(value), BELOW_NAME, height - 7));
  apart(heights, LINE_PIXELS, BELOW_NAME, height - 7).forEach((fits, row) => {
    const value = marks[row]!;
    const sign = scale.low < 0 && value > 0 ? "+" : "";
    if (fits) pen.fillText(`${sign}${value}`.replace("-", "−"), GUTTER - 8, heights[row]!);
  });
}

/** Hatched: before its first node a lane has no value, and a receiver keeps whatever it had. */
function drawNoValue({ pen, ink, camera, height, firstNote }: LaneScene, nodes: LaneNodes): void {
  if (nodes.tick[0]! <= firstNote) return;
  const right = Math.min(xOf(camera, nodes.tick[0]!), camera.width);
  const left = Math.max(xOf(camera, 0), GUTTER);
  if (right <= left) return;
  pen.save();
  pen.beginPath();
  pen.rect(left, 0, right - left, height);
  pen.clip();
  pen.strokeStyle = ink.ruleStrong;
  pen.globalAlpha = 0.7;
  pen.beginPath();
  for (let x = left - height; x < right; x += 8) {
    pen.moveTo(x, height);
    pen.lineTo(x + height, 0);
  }
  pen.stroke();
  pen.restore();
}

/** Where strokes have acted on the lane: a line along its foot. */
function drawMarks({ pen, ink, camera, height, kept }: LaneScene): void {
  pen.fillStyle = ink.accent;
  for (const mark of kept) {
    const left = xOf(camera, mark.start);
    pen.fillRect(left, height - 3, Math.max(xOf(camera, mark.end) - left, 4), 2);
  }
}

/** On and off as pressed ground, never a slope. */
function drawSwitch({ pen, ink, camera, height, scale, dyeOf, fronts }: LaneScene, nodes: LaneNodes): void {
  const [from, to] = visible(camera, nodes);
  pen.fillStyle = ink.dye(dyeOf(fronts[0]!));
  pen.globalAlpha = 0.5;
  let painted = -1e9;
  for (let node = from; node < to; node++) {
    if (nodes.value[node]! < scale.high / 2) continue;
    const x = Math.max(xOf(camera, nodes.tick[node]!), GUTTER);
    const end = node + 1 < nodes.tick.length ? xOf(camera, nodes.tick[node + 1]!) : camera.width;
    if (end - painted < 0.75) continue;
    painted = Math.max(end, x + 1);
    pen.fillRect(x, height * 0.35, painted - x, height * 0.65 - 1);
  }
  pen.globalAlpha = 1;
}

/** A pedal that is pressed in part: ground of that depth, dark where it holds, and the line from which it does. */
function drawDepth(scene: LaneScene, nodes: LaneNodes): void {
  const { pen, ink, camera, scale, open } = scene;
  const [base, threshold] = [scale.yOf(scale.low), scale.yOf(HOLDS_FROM)];
  if (isDense(camera, nodes)) drawDense(scene, nodes, base, 0.2, threshold);
  else drawGround(scene, nodes, base, threshold);
  if (!open) return;
  pen.strokeStyle = ink.ink;
  pen.lineWidth = 1;
  pen.setLineDash([5, 4]);
  pen.beginPath();
  hair(pen, GUTTER, threshold, camera.width, threshold);
  pen.stroke();
  pen.setLineDash([]);
}

function drawGround(scene: LaneScene, nodes: LaneNodes, base: number, threshold: number): void {
  const { pen, ink, camera, scale, dyeOf, fronts, open } = scene;
  const line = outline(camera, nodes, scale);
  const ground = new Path2D(line.path);
  ground.lineTo(camera.width, base);
  ground.lineTo(line.left, base);
  pen.fillStyle = ink.dye(dyeOf(fronts[0]!));
  pen.globalAlpha = 0.2;
  pen.fill(ground);
  // What lies above the threshold holds.
  pen.save();
  pen.beginPath();
  pen.rect(GUTTER, 0, camera.width, threshold);
  pen.clip();
  pen.globalAlpha = 0.4;
  pen.fill(ground);
  pen.restore();
  pen.globalAlpha = 1;
  pen.strokeStyle = scene.was ? ink.accent : ink.dye(dyeOf(fronts[0]!));
  pen.lineWidth = open ? 1.25 : 1;
  pen.stroke(line.path);
}

/** More than so many nodes a pixel: what is seen is how far they go in each column, and no line. */
const DENSE = 2;

function isDense(camera: Camera, nodes: LaneNodes): boolean {
  const [from, to] = visible(camera, nodes);
  return to - from > DENSE * (camera.width - GUTTER);
}

/** Of each canvas its own: lanes are not all as high. */
const rasters = new WeakMap<HTMLCanvasElement, Raster>();

function rasterOf({ canvas }: CanvasRenderingContext2D): Raster {
  const raster = rasters.get(canvas) ?? new Raster();
  rasters.set(canvas, raster);
  return raster;
}

/** A lane column by column: how far it goes there, and the ground up to what it comes to; dark where that holds. */
function drawDense(
  { pen, ink, camera, scale, dyeOf, fronts, was, height }: LaneScene,
  nodes: LaneNodes,
  base: number,
  pale: number,
  threshold = Number.NEGATIVE_INFINITY,
): void {
  const extremes = extremesOf(nodes.value);
  const columns = [...columnsOf(camera, nodes)];
  const dye = ink.dye(dyeOf(fronts[0]!));
  const [ground, held] = [pixelOf(dye, pale), pixelOf(dye, over(DARK, pale))];
  const line = was ? pixelOf(ink.accent, THIN) : pixelOf(dye, over(THIN, pale));
  const wide = (row: number) => (columns[row + 1]?.x ?? camera.width) - columns[row]!.x;
  const raster = rasterOf(pen);
  raster.begin(camera.width, height);
  columns.forEach(({ x, after }, row) => {
    const y = scale.yOf(nodes.value[after - 1]!);
    raster.rect(x, Math.min(y, base), wide(row), Math.abs(base - y), ground);
    if (y < threshold) raster.rect(x, y, wide(row), threshold - y, held);
  });
  let joined = scale.yOf(nodes.value[columns[0]!.node]!);
  columns.forEach(({ x, node, after }, row) => {
    const bounds = extremes.between(node, after).map(scale.yOf);
    const top = Math.min(joined, ...bounds);
    raster.rect(x, top, 1, Math.max(joined, ...bounds) - top + 1, line);
    joined = scale.yOf(nodes.value[after - 1]!);
    // Where nothing comes for some columns, it stays.
    raster.rect(x, joined, wide(row), 1, line);
  });
  raster.paint(pen);
}

/** Of the line, where it fills its ground; and of ground that holds. */
const [THIN, DARK] = [0.6, 0.4];

/** How much covers what lies behind, where one lies on another of the same colour. */
const over = (upper: number, lower: number) => 1 - (1 - upper) * (1 - lower);

/** Nodes in sight, those of one column of pixels together: from `node` to before `after`. */
function* columnsOf(camera: Camera, nodes: LaneNodes) {
  const [from, to] = visible(camera, nodes);
  for (let node = from; node < to; ) {
    const x = Math.round(xOf(camera, nodes.tick[node]!));
    // The first node at the next column or later: ticks are whole.
    const later = firstAbove(nodes.tick, Math.ceil(tickOf(camera, x + 0.5)) - 1);
    const after = Math.max(Math.min(later, to), node + 1);
    yield { x, node, after };
    node = after;
  }
}

function drawSteps(scene: LaneScene, nodes: LaneNodes): void {
  const { pen, ink, camera, scale, dyeOf, fronts, open, was } = scene;
  const base = scale.yOf(scale.middle);
  if (isDense(camera, nodes)) {
    drawDense(scene, nodes, base, 0.14);
    return;
  }
  const line = outline(camera, nodes, scale);
  pen.fillStyle = ink.dye(dyeOf(fronts[0]!));
  pen.strokeStyle = was ? ink.accent : pen.fillStyle;
  pen.globalAlpha = 0.14;
  const fill = new Path2D(line.path);
  fill.lineTo(camera.width, base);
  fill.lineTo(line.left, base);
  pen.fill(fill);
  pen.globalAlpha = 1;
  pen.lineWidth = open ? 1.5 : 1;
  pen.stroke(line.path);
}

/** Nodes that can be taken one by one; of a dense recording only the line is seen. */
function drawNodes({ pen, ink, camera, scale, dyeOf, fronts }: LaneScene, nodes: LaneNodes): void {
  const [from, to] = visible(camera, nodes);
  if (to - from > MOST_NODES) return;
  const dots = new Path2D();
  for (let node = from; node < to; node++) {
    const [x, y] = [xOf(camera, nodes.tick[node]!), scale.yOf(nodes.value[node]!)];
    if (x < GUTTER - 4) continue;
    dots.moveTo(x + 3, y);
    dots.arc(x, y, 3, 0, 2 * Math.PI);
  }
  pen.fillStyle = ink.sheet;
  pen.strokeStyle = ink.dye(dyeOf(fronts[0]!));
  pen.lineWidth = 1.2;
  pen.fill(dots);
  pen.stroke(dots);
}

/** The other level, pale: the lane under curves of notes, or what the notes add to the lane. */
function drawBeside(scene: LaneScene, beside: LaneNodes): void {
  const { pen, ink, camera, scale } = scene;
  if (!scene.ofNotes) {
    drawOwn(
      { ...scene, open: false, was: undefined, picked: scene.picked.map((one) => one.map(() => 0)) },
      beside,
    );
    return;
  }
  if (!beside.tick.length) return;
  pen.strokeStyle = ink.ruleStrong;
  pen.lineWidth = 1.2;
  pen.stroke(outline(camera, beside, scale).path);
}

/** What was there before, dotted. */
function drawGhost({ pen, ink, camera, scale }: LaneScene, nodes: LaneNodes): void {
  pen.strokeStyle = ink.ghost;
  pen.lineWidth = 1.5;
  pen.setLineDash([2, 3]);
  pen.stroke(outline(camera, nodes, scale).path);
  pen.setLineDash([]);
}

/** The line that an open stroke is: warm, as on the velocity lane. */
function drawLine(
  { pen, ink, camera, scale }: LaneScene,
  line: readonly (readonly [number, number])[],
): void {
  if (line.length < 2) return;
  pen.strokeStyle = ink.accent;
  pen.lineWidth = 2;
  pen.setLineDash([6, 4]);
  polyline(
    pen,
    line.map(([tick, value]) => [xOf(camera, tick), scale.yOf(value)] as const),
  );
  pen.setLineDash([]);
}

/** The lane as one line from the left edge to the right; all that falls into one column of pixels is one upright line. */
function outline(camera: Camera, nodes: LaneNodes, { yOf }: Scale): { path: Path2D; left: number } {
  const [from, to] = visible(camera, nodes);
  const extremes = extremesOf(nodes.value);
  const path = new Path2D();
  const left = Math.round(xOf(camera, nodes.tick[from]!));
  let y = yOf(nodes.value[from]!);
  path.moveTo(left, y);
  for (const { x, node, after } of columnsOf(camera, nodes)) {
    if (node > from && !nodes.moves[node - 1]) path.lineTo(x, y);
    path.lineTo(x, yOf(nodes.value[node]!));
    y = yOf(nodes.value[after - 1]!);
    if (after - node > 1) {
      for (const bound of extremes.between(node, after)) path.lineTo(x, yOf(bound));
      path.lineTo(x, y);
    }
    const way = nodes.moves[after - 1] ? nodes.bent.get(after - 1) : undefined;
    for (const [tick, value] of way?.line ?? []) path.lineTo(xOf(camera, tick), yOf(value));
  }
  if (to < nodes.tick.length && to > 0 && nodes.moves[to - 1]) {
    path.lineTo(xOf(camera, nodes.tick[to]!), yOf(nodes.value[to]!));
  } else path.lineTo(camera.width, y);
  return { path, left };
}

/** Nodes from the one in force at the left edge to the last in sight. */
function visible(camera: Camera, nodes: LaneNodes): [number, number] {
  return [Math.max(firstAbove(nodes.tick, camera.left) - 1, 0), firstAbove(nodes.tick, rightTick(camera))];
}
