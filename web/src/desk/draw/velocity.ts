/** The velocity lane: each note a level dash with a bead at its onset, so that a phrase reads as a contour. */
import { GUTTER, rightTick, xOf, yOfVelocity } from "../camera";
import { type PartScore, sounding } from "../score";
import { drawBox, drawGrid, drawGutter, drawSpan } from "./grid";
import { hair, MARK, polyline, SANS } from "./ink";
import type { Scene } from "./scene";

const BEAD = 4;
const NUMBERS = [1, 32, 64, 96, 127];

export function drawVelocity(scene: Scene): void {
  const { pen, ink, camera, score } = scene;
  const height = camera.laneHeight;
  pen.fillStyle = ink.sheet;
  pen.fillRect(0, 0, camera.width, height);
  drawSpan(scene, height);
  drawGrid(scene, height);
  pen.strokeStyle = ink.rule;
  pen.lineWidth = 1;
  pen.beginPath();
  for (const { velocity } of score.dynamics) {
    hair(pen, GUTTER, yOfVelocity(camera, velocity), camera.width, yOfVelocity(camera, velocity));
  }
  pen.globalAlpha = 0.5;
  pen.stroke();
  pen.globalAlpha = 1;
  const part = score.parts[scene.front];
  if (part) {
    if (scene.ghost) drawGhost(scene, part, scene.ghost[part.id]);
    drawNotes(scene, part);
  }
  if (scene.mark) drawLine(scene, scene.mark.line);
  drawBox(scene, "lane");
  drawGutter(scene, height);
  drawScales(scene);
}

function drawScales({ pen, ink, camera, score }: Scene): void {
  pen.textBaseline = "middle";
  pen.textAlign = "right";
  pen.font = `italic 600 16px ${MARK}`;
  pen.fillStyle = ink.faded;
  for (const { mark, velocity } of score.dynamics)
    pen.fillText(mark, GUTTER - 6, yOfVelocity(camera, velocity) - 1);
  pen.font = `500 11px ${SANS}`;
  pen.textAlign = "left";
  pen.fillStyle = ink.ink;
  for (const number of NUMBERS) pen.fillText(String(number), 5, yOfVelocity(camera, number));
}

function drawNotes(scene: Scene, part: PartScore): void {
  const { pen, ink, camera, picked } = scene;
  const velocities = scene.shown[part.id];
  const [from, to] = sounding(part, camera.left, rightTick(camera));
  const bead = Math.max(1.5, Math.min(BEAD, (camera.width / Math.max(to - from, 1)) * 2));
  const layers = [
    { dashes: new Path2D(), beads: new Path2D(), colour: ink.dye(part.dye) },
    { dashes: new Path2D(), beads: new Path2D(), colour: ink.accent },
  ];
  // Far out, beads that would fall on the same spot are drawn once.
  const taken = new Set<number>();
  const crowded = to - from > camera.width;
  const offset = GUTTER - camera.left * camera.perTick;
  for (let note = from; note < to; note++) {
    const x = offset + part.start[note] * camera.perTick;
    const y = yOfVelocity(camera, velocities[note]);
    const isPicked = picked[note] === 1;
    if (crowded) {
      const spot = (Math.round(x) * 128 + velocities[note]) * 2 + (isPicked ? 1 : 0);
      if (taken.has(spot)) continue;
      taken.add(spot);
    }
    const { dashes, beads } = layers[isPicked ? 1 : 0];
    const end = offset + part.end[note] * camera.perTick;
    if (end - x > 1) dashes.rect(x, y - 1, end - x, 2);
    if (x < GUTTER - bead) continue;
    if (crowded) beads.rect(x - bead / 2, y - bead / 2, bead, bead);
    else {
      beads.moveTo(x + bead, y);
      beads.arc(x, y, bead, 0, 2 * Math.PI);
    }
  }
  for (const { dashes, beads, colour } of layers) {
    pen.fillStyle = colour;
    pen.globalAlpha = crowded ? 0.25 : 0.6;
    pen.fill(dashes);
    pen.globalAlpha = 1;
    pen.fill(beads);
  }
}

/** What was there before, dotted. */
function drawGhost(scene: Scene, part: PartScore, ghost: Uint8Array): void {
  const { pen, ink, camera } = scene;
  const shown = scene.shown[part.id];
  const [from, to] = sounding(part, camera.left, rightTick(camera));
  const offset = GUTTER - camera.left * camera.perTick;
  pen.strokeStyle = ink.ghost;
  pen.lineWidth = 1.5;
  pen.setLineDash([2, 3]);
  pen.beginPath();
  for (let note = from; note < to; note++) {
    if (ghost[note] === shown[note]) continue;
    const x = offset + part.start[note] * camera.perTick;
    const y = yOfVelocity(camera, ghost[note]);
    pen.moveTo(x, y);
    pen.lineTo(Math.max(offset + part.end[note] * camera.perTick, x + 5), y);
  }
  pen.stroke();
  pen.setLineDash([]);
}

/** The line of the stroke that is open. */
function drawLine({ pen, ink, camera }: Scene, line: readonly (readonly [number, number])[]): void {
  if (line.length < 2) return;
  pen.strokeStyle = ink.accent;
  pen.lineWidth = 2;
  pen.lineJoin = "round";
  polyline(
    pen,
    line.map(([tick, value]) => [xOf(camera, tick), yOfVelocity(camera, value)] as const),
  );
}
