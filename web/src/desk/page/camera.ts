/** What of the take is in sight: one time axis for all staves, and the rows of pitch. Pixels live here. */
import type { PartScore, Score } from "../../score/score";

export const GUTTER = 96;
const LEAST_ROW = 3;
const MOST_ROW = 26;
const MOST_PER_TICK = 6;

export interface Camera {
  /** The tick at the right edge of the gutter, and pixels a tick. */
  left: number;
  perTick: number;
  /** The pitch whose row begins at the top edge, and pixels a row. */
  top: number;
  row: number;
  /** Which row each pitch has (-1: none), and which pitch each row has: all pitches, or only those in use. */
  rowOf: readonly number[];
  pitches: readonly number[];
  width: number;
  notesHeight: number;
  laneHeight: number;
}

export const startCamera: Camera = {
  left: 0,
  perTick: 0.1,
  top: 84,
  row: 12,
  rowOf: Array.from({ length: 128 }, (_, pitch) => pitch),
  pitches: Array.from({ length: 128 }, (_, pitch) => pitch),
  width: 900,
  notesHeight: 300,
  laneHeight: 240,
};

export const xOf = (camera: Camera, tick: number) => GUTTER + (tick - camera.left) * camera.perTick;
export const tickOf = (camera: Camera, x: number) => camera.left + (x - GUTTER) / camera.perTick;
export const rightTick = (camera: Camera) => tickOf(camera, camera.width);
/** The top of a pitch's row; far out of sight where it has none. */
export const yOfPitch = (camera: Camera, pitch: number) =>
  camera.rowOf[pitch]! < 0 ? -1e6 : (camera.top - camera.rowOf[pitch]!) * camera.row;
/** The pitch of the row at `y`; -1 where there is none. */
export const pitchOf = (camera: Camera, y: number) =>
  camera.pitches[Math.floor(camera.top - y / camera.row) + 1] ?? -1;
const clamp = (value: number, low: number, high: number) =>
  Math.min(Math.max(value, low), Math.max(low, high));

function leastPerTick(camera: Camera, score: Score): number {
  return (camera.width - GUTTER) / Math.max(score.end * 1.02, score.resolution * 4);
}

/** Within the take: never further out than all of it, never past its ends. */
export function held(camera: Camera, score: Score): Camera {
  const perTick = clamp(camera.perTick, leastPerTick(camera, score), MOST_PER_TICK);
  const visible = (camera.width - GUTTER) / perTick;
  const rows = camera.notesHeight / camera.row;
  return {
    ...camera,
    perTick,
    left: clamp(camera.left, 0, score.end * 1.02 - visible),
    top: clamp(
      camera.top,
      Math.min(rows - 1, camera.pitches.length),
      Math.max(camera.pitches.length - 1, rows - 1),
    ),
  };
}

export function scrolled(camera: Camera, score: Score, pixels: number): Camera {
  return held({ ...camera, left: camera.left + pixels / camera.perTick }, score);
}

export function scrolledRows(camera: Camera, score: Score, pixels: number): Camera {
  return held({ ...camera, top: camera.top - pixels / camera.row }, score);
}

/** Zoom in time so that what lies at `x` stays there. */
export function zoomed(camera: Camera, score: Score, x: number, factor: number): Camera {
  const anchor = tickOf(camera, Math.max(x, GUTTER));
  const perTick = clamp(camera.perTick * factor, leastPerTick(camera, score), MOST_PER_TICK);
  return held({ ...camera, perTick, left: anchor - (Math.max(x, GUTTER) - GUTTER) / perTick }, score);
}

/** Zoom in pitch so that what lies at `y` stays there. */
export function zoomedRows(camera: Camera, score: Score, y: number, factor: number): Camera {
  const anchor = camera.top - y / camera.row;
  const row = clamp(camera.row * factor, LEAST_ROW, MOST_ROW);
  return held({ ...camera, row, top: anchor + y / row }, score);
}

/** From tick to tick, with a little air. */
export function showing(camera: Camera, score: Score, from: number, to: number): Camera {
  const air = (to - from) * 0.02;
  const perTick = (camera.width - GUTTER) / Math.max(to - from + 2 * air, 1);
  return held({ ...camera, perTick, left: from - air }, score);
}

/** Rows fitted to what some parts play. */
export function showingRows(camera: Camera, score: Score, parts: readonly PartScore[]): Camera {
  const sounding = parts.filter((part) => part.start.length);
  if (!sounding.length)
    return parts.length ? showingPitches(camera, score, ...BLANK_ROWS) : held(camera, score);
  const lowest = Math.min(...sounding.map((part) => part.lowest));
  const highest = Math.max(...sounding.map((part) => part.highest));
  return showingPitches(camera, score, lowest, highest);
}

/** What is shown of a part of which nothing is played yet. */
const BLANK_ROWS = [48, 84] as const;

/** Rows fitted to some pitches, with a little air where all rows are shown. */
export function showingPitches(camera: Camera, score: Score, lowest: number, highest: number): Camera {
  const air = camera.pitches.length < 128 ? 0 : 2;
  const [low, high] = [camera.rowOf[lowest]!, camera.rowOf[highest]!];
  const rows = high - low + 1 + 2 * air;
  const row = clamp(camera.notesHeight / rows, LEAST_ROW, MOST_ROW - 4);
  const spare = (camera.notesHeight / row - rows) / 2;
  return held({ ...camera, row, top: high + air + spare }, score);
}

/** All 128 rows, or only those that some parts use. */
export function withRows(camera: Camera, pitches: readonly number[] | null): Camera {
  const shown = pitches ?? startCamera.pitches;
  const rowOf = Array.from({ length: 128 }, () => -1);
  shown.forEach((pitch, row) => {
    rowOf[pitch] = row;
  });
  return { ...camera, pitches: shown, rowOf };
}
