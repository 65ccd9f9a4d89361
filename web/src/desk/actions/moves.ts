/** What the keys do that is more than one call: playing, going about, stepping from note to note, beginning gestures. */

import { download as downloadFile } from "../../api/download";
import { gesturesOf, type Kind } from "../../api/strokes";
import { VELOCITY } from "../../score/lanes";
import { type Chosen, noneOf, secondsAt, tickAt } from "../../score/score";
import { player, usePlayer } from "../../sound/player";
import { erase } from "../hand/laneGestures";
import { splitHere } from "../hand/noteGestures";
import {
  GUTTER,
  scrolled,
  scrolledRows,
  showing,
  showingPitches,
  xOf,
  zoomed,
  zoomedRows,
} from "../page/camera";
import { focusLane, focusNumbers } from "../stage/laneSight";
import { beginGesture } from "../strokes/begin";
import { begin } from "../strokes/opening";
import { arrangeRows, toFront } from "../take/arranging";
import { choose, chooseNone, chooseSpan } from "../take/choosing";
import { leaveCloseUp, stepCloseUp } from "../take/closeUp";
import { keep, letGo } from "../take/shaping";
import { complain, desk, frontParts, leadPart, look } from "../take/state";

/** A gesture of the table, by its key: the first of its kind, or another one. */
export function gesture(kind: Kind, lane = VELOCITY, at = 0): void {
  beginGesture(gesturesOf(kind)[at]!, lane);
  // Enter is for what has begun, not for the button that was pressed last.
  if (desk().shaping && document.activeElement?.closest("a,button")) focusLane(desk().activeLane);
}

/** The same, and its numbers can be typed at once. */
export function numbered(kind: Kind, lane = VELOCITY, at = 0): void {
  gesture(kind, lane, at);
  if (desk().shaping) focusNumbers();
}

export function eraseChosen(): void {
  const { activeLane, span, chosenCount } = desk();
  if (activeLane !== VELOCITY && span) begin(erase(activeLane, span));
  else if (chosenCount) gesture("notes.delete");
}

export function splitAtPointer(free: boolean): void {
  const { score } = desk();
  if (score) void splitHere(tickAt(score, player.position()), free);
}

export function playOrStop(): void {
  const { playing, resting, looping } = usePlayer.getState();
  if (playing) {
    player.stop();
    return;
  }
  const { score, span } = desk();
  if (looping && score && span) {
    const [from, to] = [secondsAt(score, span[0]), secondsAt(score, span[1])];
    void player.play(resting >= from && resting < to ? resting : from);
  } else if (score && span && isOutside(resting, span)) void player.play(secondsAt(score, span[0]));
  else void player.play(resting);
}

/** Whether the playhead rests outside the chosen bars: then playing begins with them. */
function isOutside(seconds: number, [from, to]: [number, number]): boolean {
  const { score } = desk();
  return !!score && (seconds < secondsAt(score, from) || seconds >= secondsAt(score, to));
}

export function keepOrPlay(): void {
  const { shaping } = desk();
  if (shaping && shaping.number === null && !shaping.problem) void keep();
  else playSelection();
}

function playSelection(): void {
  const { score, span } = desk();
  const tick = span?.[0] ?? extent()?.[0];
  if (score && tick !== undefined) void player.play(secondsAt(score, tick));
}

export function goTo(seconds: number): void {
  player.rest(seconds);
  const { score } = desk();
  if (!score) return;
  const tick = tickAt(score, seconds);
  look((camera, whole) => {
    const x = xOf(camera, tick);
    return x < GUTTER || x > camera.width ? scrolled({ ...camera, left: tick }, whole, 0) : camera;
  });
}

/** The next or the previous note of the leading part; with `add`, beside those that are chosen. */
export function stepChoice(by: number, add: boolean): void {
  if (stepCloseUp(by)) return;
  const { chosen, score, voice } = desk();
  const part = leadPart();
  if (!part?.start.length || !score) return;
  const mask = chosen[part.id]!;
  const edge = by > 0 ? mask.lastIndexOf(1) : mask.indexOf(1);
  let note = edge >= 0 ? edge + by : by > 0 ? 0 : part.start.length - 1;
  while (voice !== null && note >= 0 && note < part.start.length && part.pitch[note] !== voice) note += by;
  if (note < 0 || note >= part.start.length) return;
  const made: Uint8Array[] = add ? [...chosen] : [...noneOf(score)];
  made[part.id] = made[part.id]!.slice();
  made[part.id]![note] = 1;
  choose(made as Chosen);
  look((camera, whole) => {
    const x = xOf(camera, part.start[note]!);
    return x < GUTTER || x > camera.width - 20 ? scrolled(camera, whole, x - camera.width / 2) : camera;
  });
}

/** From the first start to the last end of the chosen notes. */
export function extent(): [number, number] | null {
  const { chosen } = desk();
  let [start, end] = [Number.POSITIVE_INFINITY, 0];
  for (const part of frontParts()) {
    chosen[part.id]!.forEach((one, note) => {
      if (!one) return;
      start = Math.min(start, part.start[note]!);
      end = Math.max(end, part.end[note]!);
    });
  }
  return end > start ? [start, end] : null;
}

export function spanOfChosen(): void {
  const chosen = extent();
  if (chosen) chooseSpan(chosen);
}

export function nextPart(by: number): void {
  const { score, fronts } = desk();
  if (!score?.parts.length) return;
  toFront((fronts[0]! + by + score.parts.length) % score.parts.length);
}

export function release(): void {
  if (desk().shaping) letGo();
  else if (!leaveCloseUp()) {
    chooseNone();
    chooseSpan(null);
  }
}

export function zoom(factor: number): void {
  look((camera, score) => zoomed(camera, score, (camera.width + GUTTER) / 2, factor));
}

export function rows(factor: number): void {
  look((camera, score) => zoomedRows(camera, score, camera.notesHeight / 2, factor));
}

export function page(by: number): void {
  look((camera, score) => scrolled(camera, score, by * (camera.width - GUTTER) * 0.8));
}

export function pageRows(by: number): void {
  look((camera, score) => scrolledRows(camera, score, by * camera.notesHeight * 0.5));
}

/** The selection fills the view, in time and in pitch. */
export function viewSelection(): void {
  const wanted = extent() ?? desk().span;
  if (!wanted) return;
  look((camera, score) => showing(camera, score, wanted[0], wanted[1]));
  let [lowest, highest] = [128, -1];
  for (const part of frontParts()) {
    desk().chosen[part.id]!.forEach((one, note) => {
      if (!one) return;
      lowest = Math.min(lowest, part.pitch[note]!);
      highest = Math.max(highest, part.pitch[note]!);
    });
  }
  if (highest >= 0) look((camera, score) => showingPitches(camera, score, lowest, highest));
}

export function wholeTake(): void {
  look((camera, score) => showing(camera, score, 0, score.end));
  arrangeRows(desk().rows);
}

export function download(kind: string): void {
  const { score } = desk();
  if (score) downloadFile(`/api/takes/${score.id}/file${kind}`).catch(complain);
}
