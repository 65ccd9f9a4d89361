/** Bar and beat lines, and the shade of a span: the same behind every stave. */

import { firstAbove } from "../../../score/score";
import { GUTTER, rightTick, xOf } from "../camera";
import { hair } from "./ink";
import type { Scene } from "./scene";

const LEAST_BEAT_PIXELS = 14;
const LEAST_BAR_PIXELS = 7;
const LEAST_FINE_PIXELS = 9;

export function visibleBars({ camera, score }: Pick<Scene, "camera" | "score">): [number, number] {
  return [
    Math.max(firstAbove(score.bars.start, camera.left) - 1, 0),
    firstAbove(score.bars.start, rightTick(camera)),
  ];
}

export function drawSpan({ pen, ink, camera, span }: Scene, height: number): void {
  if (!span) return;
  const left = Math.max(xOf(camera, span[0]), GUTTER);
  const right = xOf(camera, span[1]);
  if (right <= left) return;
  pen.fillStyle = ink.accentWash;
  pen.globalAlpha = 0.45;
  pen.fillRect(left, 0, right - left, height);
  pen.globalAlpha = 1;
}

export function drawGrid(scene: Scene, height: number): void {
  const { pen, ink, camera, score } = scene;
  const [from, to] = visibleBars(scene);
  const beats = new Path2D();
  const fines = new Path2D();
  const bars = new Path2D();
  let before = -1e9;
  for (let bar = from; bar < to; bar++) {
    const x = xOf(camera, score.bars.start[bar]!);
    if (x - before < LEAST_BAR_PIXELS) continue;
    before = x;
    if (x >= GUTTER) {
      bars.moveTo(Math.round(x) + 0.5, 0);
      bars.lineTo(Math.round(x) + 0.5, height);
    }
    const beat = score.bars.beat_ticks[bar]! * camera.perTick;
    const fine = scene.gridTicks * camera.perTick;
    if (fine >= LEAST_FINE_PIXELS && fine !== beat) {
      const end = xOf(camera, score.bars.start[bar]! + score.bars.beats[bar]! * score.bars.beat_ticks[bar]!);
      for (let at = x + fine; at < end - 1; at += fine) {
        if (at < GUTTER) continue;
        fines.moveTo(Math.round(at) + 0.5, 0);
        fines.lineTo(Math.round(at) + 0.5, height);
      }
    }
    if (beat < LEAST_BEAT_PIXELS) continue;
    for (let at = 1; at < score.bars.beats[bar]!; at++) {
      const line = Math.round(x + at * beat) + 0.5;
      if (line < GUTTER) continue;
      beats.moveTo(line, 0);
      beats.lineTo(line, height);
    }
  }
  pen.lineWidth = 1;
  pen.strokeStyle = ink.rule;
  pen.globalAlpha = 0.2;
  pen.stroke(fines);
  pen.globalAlpha = 0.45;
  pen.stroke(beats);
  pen.globalAlpha = 0.9;
  pen.stroke(bars);
  pen.globalAlpha = 1;
}

/** The gutter at the left, over whatever ran under it. */
export function drawGutter({ pen, ink }: Scene, height: number): void {
  pen.fillStyle = ink.paper;
  pen.fillRect(0, 0, GUTTER, height);
  pen.strokeStyle = ink.ruleStrong;
  pen.lineWidth = 1;
  pen.beginPath();
  hair(pen, GUTTER - 1, 0, GUTTER - 1, height);
  pen.stroke();
}

/** The box of a marquee. */
export function drawBox({ pen, ink, box }: Scene, stave: string): void {
  if (!box || box.stave !== stave) return;
  const x = Math.min(box.x0, box.x1);
  const y = Math.min(box.y0, box.y1);
  const width = Math.abs(box.x1 - box.x0);
  const height = Math.abs(box.y1 - box.y0);
  pen.fillStyle = ink.accent;
  pen.globalAlpha = 0.08;
  pen.fillRect(x, y, width, height);
  pen.globalAlpha = 1;
  pen.strokeStyle = ink.accent;
  pen.lineWidth = 1;
  pen.strokeRect(x + 0.5, y + 0.5, width, height);
}
