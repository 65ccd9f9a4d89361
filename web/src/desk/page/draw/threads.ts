/** The voices of chord into chord, as threads with the grips by which each is moved. */

import type { Thread } from "../../../score/threads";
import { type Camera, GUTTER, xOf, yOfPitch } from "../camera";
import type { Scene } from "./scene";

/** Pixels of a voice's way below which its middle has no grip of its own. */
export const MOST_CROWDED = 24;

/** The grips of a voice of chord into chord: where it leaves, how it goes, where it is there, and what it hangs on. */
export function threadGrips(camera: Camera, thread: Thread) {
  const yOf = (pitch: number) => yOfPitch(camera, pitch) + camera.row / 2;
  const [x0, x1] = [xOf(camera, thread.leaves), xOf(camera, thread.arrives)];
  const [y0, y1] = [yOf(thread.pitch), yOf(thread.reached)];
  const steps = thread.way.length - 1;
  const way = thread.way.map((share, step) => ({
    x: x0 + ((x1 - x0) * step) / steps,
    y: y0 + (y1 - y0) * share,
  }));
  return {
    way,
    leaves: { x: x0, y: y0 },
    lift: way[steps / 2]!,
    arrives: { x: x1, y: y1 },
    hangs: { x: xOf(camera, thread.struck), y: y1 },
  };
}

export function drawThreads({ pen, ink, camera }: Scene, threads: Thread[]): void {
  const lines = new Path2D();
  const dots = new Path2D();
  const rings = new Path2D();
  for (const thread of threads) {
    const { way, leaves, lift, arrives, hangs } = threadGrips(camera, thread);
    if (arrives.x < GUTTER || leaves.x > camera.width) continue;
    lines.moveTo(leaves.x, leaves.y);
    for (const { x, y } of way) lines.lineTo(x, y);
    const held = arrives.x - leaves.x > MOST_CROWDED ? [leaves, lift, arrives] : [leaves, arrives];
    for (const { x, y } of held) {
      dots.moveTo(x + 3, y);
      dots.arc(x, y, 3, 0, 2 * Math.PI);
    }
    rings.moveTo(hangs.x + 4.5, hangs.y);
    rings.arc(hangs.x, hangs.y, 4.5, 0, 2 * Math.PI);
  }
  pen.strokeStyle = ink.accent;
  pen.lineWidth = 2;
  pen.stroke(lines);
  pen.fillStyle = ink.sheet;
  pen.lineWidth = 1.5;
  pen.fill(rings);
  pen.stroke(rings);
  pen.fill(dots);
  pen.stroke(dots);
}
