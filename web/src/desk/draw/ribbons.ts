/** Notes as ribbons: where and how long by place, how loud by thickness. */
import { GUTTER, rightTick, yOfPitch } from "../camera";
import { type PartScore, sounding } from "../score";
import { drawBox, drawGrid, drawGutter, drawSpan } from "./grid";
import { SANS } from "./ink";
import type { Scene } from "./scene";

const ROUND_UP_TO = 1500;

export function thickness(row: number, velocity: number): number {
  return Math.max(1, row * (0.12 + (0.86 * velocity) / 127));
}

export function drawRibbons(scene: Scene): void {
  const { pen, ink, camera, score } = scene;
  const { width, notesHeight: height } = camera;
  pen.fillStyle = ink.paper;
  pen.fillRect(0, 0, width, height);
  drawSpan(scene, height);
  drawGrid(scene, height);
  drawOctaves(scene);
  for (const part of score.parts) if (part.id !== scene.front) drawPart(scene, part, false);
  const front = score.parts[scene.front];
  if (front) drawPart(scene, front, true);
  drawBox(scene, "notes");
  drawGutter(scene, height);
  drawNames(scene);
}

function drawOctaves({ pen, ink, camera }: Scene): void {
  pen.strokeStyle = ink.ruleStrong;
  pen.globalAlpha = 0.5;
  pen.lineWidth = 1;
  pen.beginPath();
  for (let pitch = 0; pitch < 128; pitch += 12) {
    const y = Math.round(yOfPitch(camera, pitch) + camera.row) + 0.5;
    if (y < 0 || y > camera.notesHeight) continue;
    pen.moveTo(GUTTER, y);
    pen.lineTo(camera.width, y);
  }
  pen.stroke();
  pen.globalAlpha = 1;
}

function drawNames({ pen, ink, camera, score, front }: Scene): void {
  pen.textAlign = "right";
  pen.textBaseline = "middle";
  pen.font = `500 12px ${SANS}`;
  const part = score.parts[front];
  const every = camera.row >= 11;
  for (let pitch = 0; pitch < 128; pitch++) {
    const y = yOfPitch(camera, pitch) + camera.row / 2;
    if (y < 6 || y > camera.notesHeight - 6) continue;
    const octave = pitch % 12 === 0;
    if (!octave && !(every && part && isPlayed(part, pitch))) continue;
    pen.fillStyle = octave ? ink.ink : ink.faded;
    pen.fillText(score.noteNames[pitch], GUTTER - 10, y);
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

function drawPart(scene: Scene, part: PartScore, inFront: boolean): void {
  const { pen, ink, camera, picked } = scene;
  const velocities = scene.shown[part.id];
  const [from, to] = sounding(part, camera.left, rightTick(camera));
  const rounded = inFront && to - from < ROUND_UP_TO;
  const offset = GUTTER - camera.left * camera.perTick;
  // Zoomed far out many notes share a pixel: of those in one row, only what reaches further is drawn.
  const drawnTo = new Float64Array(128);
  for (const warm of inFront ? [false, true] : [false]) {
    pen.fillStyle = warm ? ink.accent : ink.dye(part.dye);
    pen.globalAlpha = inFront ? 0.92 : 0.22;
    drawnTo.fill(-1e9);
    pen.beginPath();
    for (let note = from; note < to; note++) {
      if (inFront && (picked[note] === 1) !== warm) continue;
      const x = offset + part.start[note] * camera.perTick;
      const end = Math.max(offset + part.end[note] * camera.perTick, x + 1.5);
      const pitch = part.pitch[note];
      if (end <= drawnTo[pitch] + 0.5 || end < GUTTER) continue;
      const y = yOfPitch(camera, pitch);
      if (y < -camera.row || y > camera.notesHeight) continue;
      const left = Math.max(x, drawnTo[pitch], GUTTER - 20);
      drawnTo[pitch] = end;
      const high = inFront ? thickness(camera.row, velocities[note]) : Math.max(1, camera.row * 0.34);
      const top = y + (camera.row - high) / 2;
      if (rounded && end - x > 3) pen.roundRect(x, top, end - x - 0.5, high, Math.min(high, end - x) / 2);
      else if (rounded) pen.rect(left, top, end - left, high);
      // One path of many thousands of pieces takes far longer to fill than as many small rectangles.
      else
        pen.fillRect(
          Math.round(left),
          Math.round(top),
          Math.max(Math.round(end - left), 1),
          Math.max(Math.round(high), 1),
        );
    }
    pen.fill();
  }
  pen.globalAlpha = 1;
}
