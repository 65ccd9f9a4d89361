/** A lane of recorded or shaped nodes: thin as a strip, tall when it is open. */
import { type Camera, GUTTER, rightTick, xOf } from "../camera";
import { type LaneNodes, rangeOf } from "../lanes";
import { firstAbove } from "../score";
import { drawGrid, drawGutter, drawSpan } from "./grid";
import { hair, SANS } from "./ink";
import type { Scene } from "./scene";

const PAD = 4;

export interface LaneScene extends Scene {
  laneKey: string;
  nodes: LaneNodes | undefined;
  height: number;
  open: boolean;
  isSwitch: boolean;
  /** The first onset of the part: before it a lane should have a value. */
  firstNote: number;
}

export function yOfValue(value: number, [low, high]: readonly [number, number], height: number): number {
  return PAD + ((high - value) / (high - low)) * (height - 2 * PAD);
}

export function drawLane(scene: LaneScene): void {
  const { pen, ink, camera, laneKey, nodes, height, open } = scene;
  const range = rangeOf(laneKey, nodes);
  pen.fillStyle = ink.sheet;
  pen.fillRect(0, 0, camera.width, height);
  drawSpan(scene, height);
  drawGrid(scene, height);
  if (open) drawScaleLines(scene, range);
  if (nodes?.tick.length) {
    drawNoValue(scene, nodes);
    if (scene.isSwitch) drawSwitch(scene, nodes);
    else drawSteps(scene, nodes, range);
  }
  drawMarks(scene);
  drawGutter(scene, height);
  if (open) drawScale(scene, range);
}

const marksOf = ([low, high]: readonly [number, number]) => (low < 0 ? [low, 0, high] : [0, 32, 64, 96, 127]);

function drawScaleLines({ pen, ink, camera, height }: LaneScene, range: [number, number]): void {
  pen.strokeStyle = ink.rule;
  pen.globalAlpha = 0.6;
  pen.lineWidth = 1;
  pen.beginPath();
  for (const value of marksOf(range))
    hair(pen, GUTTER, yOfValue(value, range, height), camera.width, yOfValue(value, range, height));
  pen.stroke();
  pen.globalAlpha = 1;
}

function drawScale({ pen, ink, height }: LaneScene, range: [number, number]): void {
  pen.font = `500 11px ${SANS}`;
  pen.textAlign = "right";
  pen.textBaseline = "middle";
  pen.fillStyle = ink.faded;
  for (const value of marksOf(range)) {
    const sign = range[0] < 0 && value > 0 ? "+" : "";
    const y = Math.min(Math.max(yOfValue(value, range, height), 7), height - 7);
    pen.fillText(`${sign}${value}`.replace("-", "−"), GUTTER - 8, y);
  }
}

/** Hatched: before its first node a lane has no value, and a receiver keeps whatever it had. */
function drawNoValue({ pen, ink, camera, height, firstNote }: LaneScene, nodes: LaneNodes): void {
  if (nodes.tick[0] <= firstNote) return;
  const right = Math.min(xOf(camera, nodes.tick[0]), camera.width);
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
function drawSwitch({ pen, ink, camera, height, dyeOf, fronts }: LaneScene, nodes: LaneNodes): void {
  const [from, to] = visible(camera, nodes);
  pen.fillStyle = ink.dye(dyeOf(fronts[0]));
  pen.globalAlpha = 0.5;
  let painted = -1e9;
  for (let node = from; node < to; node++) {
    if (nodes.value[node] < 64) continue;
    const x = Math.max(xOf(camera, nodes.tick[node]), GUTTER);
    const end = node + 1 < nodes.tick.length ? xOf(camera, nodes.tick[node + 1]) : camera.width;
    if (end - painted < 0.75) continue;
    painted = Math.max(end, x + 1);
    pen.fillRect(x, height * 0.35, painted - x, height * 0.65 - 1);
  }
  pen.globalAlpha = 1;
}

function drawSteps(
  { pen, ink, camera, height, dyeOf, fronts, open }: LaneScene,
  nodes: LaneNodes,
  range: [number, number],
): void {
  const [from, to] = visible(camera, nodes);
  const base = yOfValue(Math.max(range[0], 0), range, height);
  const line = new Path2D();
  const fill = new Path2D();
  let before = -1;
  let [low, high] = [0, 0];
  let y = 0;
  for (let node = from; node < to; node++) {
    const x = Math.max(Math.round(xOf(camera, nodes.tick[node])), GUTTER);
    const next = yOfValue(nodes.value[node], range, height);
    if (x === before) {
      // All that falls into one column is one upright line.
      low = Math.min(low, next);
      high = Math.max(high, next);
      line.moveTo(x, low);
      line.lineTo(x, high);
      line.moveTo(x, next);
    } else if (node === from) {
      line.moveTo(x, next);
      fill.moveTo(x, base);
      fill.lineTo(x, next);
    } else {
      line.lineTo(x, y);
      line.lineTo(x, next);
      fill.lineTo(x, y);
      fill.lineTo(x, next);
    }
    if (x !== before) [low, high] = [Math.min(y, next), Math.max(y, next)];
    before = x;
    y = next;
  }
  line.lineTo(camera.width, y);
  fill.lineTo(camera.width, y);
  fill.lineTo(camera.width, base);
  fill.closePath();
  pen.fillStyle = pen.strokeStyle = ink.dye(dyeOf(fronts[0]));
  pen.globalAlpha = 0.14;
  pen.fill(fill);
  pen.globalAlpha = 1;
  pen.lineWidth = open ? 1.5 : 1;
  pen.stroke(line);
}

/** Nodes from the one in force at the left edge to the last in sight. */
function visible(camera: Camera, nodes: LaneNodes): [number, number] {
  return [Math.max(firstAbove(nodes.tick, camera.left) - 1, 0), firstAbove(nodes.tick, rightTick(camera))];
}
