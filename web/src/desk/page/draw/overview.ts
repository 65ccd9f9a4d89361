/** The whole take in one thin line, with what is in sight as a box. */

import type { LaneKind } from "../../../api/client";
import { extentOf, type LaneNodes } from "../../../score/lanes";
import type { PartScore, Score } from "../../../score/score";
import { type Camera, GUTTER, rightTick } from "../camera";
import type { Ink } from "./ink";

export const OVERVIEW_HEIGHT = 38;
const PAD = 5;
const LANE_HEIGHT = 10;

export const overviewX = (camera: Camera, score: Score, tick: number) =>
  GUTTER + (tick / Math.max(score.end * 1.02, 1)) * (camera.width - GUTTER - 8);
export const overviewTick = (camera: Camera, score: Score, x: number) =>
  ((x - GUTTER) / (camera.width - GUTTER - 8)) * score.end * 1.02;

/** The notes of all parts, drawn once for a size and kept. */
export function drawOverviewNotes(
  pen: CanvasRenderingContext2D,
  ink: Ink,
  camera: Camera,
  score: Score,
  fronts: readonly number[],
  dyeOf: (part: PartScore) => string,
) {
  pen.fillStyle = ink.sheet;
  pen.fillRect(0, 0, camera.width, OVERVIEW_HEIGHT);
  const low = Math.min(...score.parts.map((part) => part.lowest));
  const high = Math.max(...score.parts.map((part) => part.highest));
  const inner = OVERVIEW_HEIGHT - 2 * PAD;
  const inOrder = [...score.parts].sort(
    (a, b) => Number(fronts.includes(a.id)) - Number(fronts.includes(b.id)),
  );
  for (const part of inOrder) {
    const path = new Path2D();
    const taken = new Float64Array(128).fill(-1e9);
    for (let note = 0; note < part.start.length; note++) {
      const x = overviewX(camera, score, part.start[note]!);
      const end = Math.max(overviewX(camera, score, part.end[note]!), x + 1);
      const pitch = part.pitch[note]!;
      if (end <= taken[pitch]! + 0.5) continue;
      taken[pitch] = end;
      path.rect(x, PAD + ((high - pitch) / Math.max(high - low, 1)) * (inner - 2), end - x, 2);
    }
    pen.fillStyle = ink.dye(dyeOf(part));
    pen.globalAlpha = fronts.includes(part.id) ? 0.9 : 0.3;
    pen.fill(path);
  }
  pen.globalAlpha = 1;
}

/** The busiest lane of the leading part, along the foot of the overview. */
export function drawOverviewLane(
  pen: CanvasRenderingContext2D,
  colour: string,
  camera: Camera,
  score: Score,
  busiest: readonly [LaneKind, LaneNodes] | undefined,
): void {
  if (!busiest) return;
  const [kind, lane] = busiest;
  const furthest = Math.max(...extentOf(kind, [lane]).map((end) => Math.abs(end - kind.middle)));
  pen.fillStyle = colour;
  pen.globalAlpha = 0.4;
  let before = -1;
  let most = 0;
  for (let node = 0; node < lane.tick.length; node++) {
    const x = Math.round(overviewX(camera, score, lane.tick[node]!));
    const share = Math.abs(lane.value[node]! - kind.middle) / furthest;
    most = x === before ? Math.max(most, share) : share;
    const tall = Math.max(most * LANE_HEIGHT, 0.5);
    pen.fillRect(x, OVERVIEW_HEIGHT - 1 - tall, 1, tall);
    before = x;
  }
  pen.globalAlpha = 1;
}

export function drawWindow(pen: CanvasRenderingContext2D, ink: Ink, camera: Camera, score: Score): void {
  const left = overviewX(camera, score, camera.left);
  const right = overviewX(camera, score, Math.min(rightTick(camera), score.end * 1.02));
  pen.fillStyle = ink.paper;
  pen.globalAlpha = 0.72;
  pen.fillRect(GUTTER, 0, left - GUTTER, OVERVIEW_HEIGHT);
  pen.fillRect(right, 0, camera.width - right, OVERVIEW_HEIGHT);
  pen.globalAlpha = 1;
  pen.strokeStyle = ink.faded;
  pen.lineWidth = 1.5;
  pen.beginPath();
  pen.roundRect(left, 1.5, Math.max(right - left, 4), OVERVIEW_HEIGHT - 3, 4);
  pen.stroke();
}
