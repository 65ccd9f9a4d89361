/** What the pointer does to notes themselves: they are put in, moved, doubled, made longer or shorter, split. */
import { plain } from "../../api/strokes";
import { VELOCITY, wordOf } from "../../score/lanes";
import {
  firstAbove,
  gridTicks,
  idOfRow,
  nearestLine,
  type PartScore,
  placeText,
  type Score,
} from "../../score/score";
import { player } from "../../sound/player";
import { between, rounded } from "../../ui/numbers";
import { count } from "../../ui/words";
import { GUTTER, pitchOf, xOf } from "../page/camera";
import { chosenWhere, reachOfChosen } from "../strokes/places";
import { rowName } from "../take/arranging";
import { apply, close, finish, preview } from "../take/shaping";
import { desk, draws, keptVelocities, kindOf, leadPart, set } from "../take/state";
import type { Grip } from "./grip";
import { choosePressed, type Hit, noteAt } from "./picking";
import { snappedTick } from "./spanGrip";

/** An end of a note is taken when the pointer comes so near, and the note is long enough to be taken in its middle too. */
const EDGE_REACH = 5;
const LEAST_WIDTH = 18;
/** Steps of velocity for a pixel up or down. */
const FORCE = 0.7;
/** Off the grid a new note lasts at least this much of a beat. */
const SHORTEST = 16;

/** What can be corrected before it is let go. */
const HELD =
  "right: longer; up or down: harder or softer; Shift held: to another place or pitch (Alt: off the grid; Esc: none)";

type Place = "start" | "end" | "middle";

const isChosen = ({ part, note }: Hit): boolean => desk().chosen[part.id]![note]! === 1;

/** Where a note is taken hold of. */
function placeOn({ part, note }: Hit, x: number): Place {
  const { camera } = desk();
  const [left, right] = [xOf(camera, part.start[note]!), xOf(camera, part.end[note]!)];
  if (right - left < LEAST_WIDTH) return "middle";
  if (x >= right - EDGE_REACH) return "end";
  return x <= left + EDGE_REACH ? "start" : "middle";
}

/** What a press on the ribbons takes hold of; null where it chooses. */
export function noteGrip(x: number, y: number, event: PointerEvent): Grip | null {
  if (x < GUTTER || event.shiftKey) return null;
  const hit = noteAt("notes", x, y);
  const holds = hit && isChosen(hit);
  if (holds && !desk().drawing) {
    const place = placeOn(hit, x);
    return place === "middle" ? moveGrip(hit, x, event) : edgeGrip(hit, place);
  }
  if (!draws(event)) return null;
  return hit ? splitGrip(hit, x, event) : addGrip(x, y, event);
}

/** The same in words: what a press there would do; empty where it chooses. */
export function noteHint(x: number, y: number): string {
  const hit = noteAt("notes", x, y);
  if (desk().drawing)
    return hit
      ? "click to split it here (Alt: off the grid; d: choose again)"
      : "press where a note is to begin, drag right for its length and up or down for its force; Shift held: to another place or pitch (Esc: none)";
  if (!hit || !isChosen(hit)) return "";
  const many = desk().chosenCount > 1;
  const place = placeOn(hit, x);
  if (place !== "middle")
    return `drag to move the ${place === "end" ? "end" : "beginning"}${many ? " of all that are chosen" : ""} (Alt: off the grid)`;
  return `drag to move ${many ? "all that are chosen" : "it"} (Ctrl: a copy; Alt: off the grid; Shift: choose)`;
}

function say(x: number, y: number, text: string): void {
  set({ tip: { stave: "notes", x, y, text } });
}

const change = (value: number) => `${value < 0 ? "−" : "+"}${Math.abs(value)}`;
const inBeats = (score: Score, ticks: number) => count(rounded(ticks / score.resolution, 3), "beat");

/** How far a place is from where it was: on the grid from line to line, so that what was played early stays early. */
function steps(score: Score, from: number, ticks: number, free: boolean): number {
  const { grid, camera } = desk();
  const isFine = gridTicks(score, grid) * camera.perTick <= 3;
  if (free === (grid.snap && !isFine)) return Math.round(ticks);
  return nearestLine(score, Math.max(from + ticks, 0), grid) - nearestLine(score, from, grid);
}

// ---- what is there

/** Move all that are chosen in time and pitch; with Ctrl, put down a copy of them instead. */
function moveGrip(hit: Hit, x: number, event: PointerEvent): Grip {
  const { score } = desk();
  const { part, note } = hit;
  const extent = reachOfChosen();
  let heard = part.pitch[note];
  return {
    move(toX, toY, now) {
      if (!score || !extent) return;
      const ticks = Math.max(
        steps(score, part.start[note]!, (toX - x) / desk().camera.perTick, now.altKey),
        -extent.start,
      );
      const pitch = pitchOf(desk().camera, toY);
      const keys = pitch < 0 ? 0 : between(pitch - part.pitch[note]!, -extent.lowest, 127 - extent.highest);
      const sounds = part.pitch[note]! + keys;
      if (sounds !== heard && desk().wishes.sounds)
        void player.tap(part.id, sounds, keptVelocities()[part.id]![note]!);
      heard = sounds;
      const copies = now.ctrlKey || now.metaKey || event.ctrlKey || event.metaKey;
      const where = chosenWhere();
      if (!where) return;
      const under = desk().travels;
      if (copies)
        preview(plain("notes.copy", { where, under, keys, to: { part: null, at: extent.start + ticks } }));
      else preview(plain("notes.move", { where, under, keys, ticks }));
      const place = placeText(score, part.start[note]! + ticks);
      say(
        toX,
        toY,
        `${copies ? "a copy: " : ""}${place}  ${rowName(part, sounds)}${keys ? ` (${change(keys)})` : ""}`,
      );
    },
    done(moved, up) {
      set({ tip: null });
      if (moved) finish();
      else {
        if (desk().shaping) close();
        choosePressed(hit, up.ctrlKey || up.metaKey);
      }
    },
  };
}

/** Lengthen or shorten all that are chosen, by as much as the one that is held. */
function edgeGrip(hit: Hit, edge: "start" | "end"): Grip {
  const { score } = desk();
  const { part, note } = hit;
  return {
    move(toX, toY, now) {
      const where = chosenWhere();
      if (!score || !where) return;
      const at = snappedTick(toX, now.altKey);
      const ticks = edge === "end" ? at - part.end[note]! : part.start[note]! - at;
      const by = ticks / score.resolution;
      preview(plain("notes.length", { where, by, edge, page: true, under: desk().travels }));
      const length = Math.max(part.end[note]! - part.start[note]! + ticks, 0);
      say(toX, toY, `${inBeats(score, length)} (${change(rounded(by, 3))})`);
    },
    done(moved, up) {
      set({ tip: null });
      if (moved) finish();
      else choosePressed(hit, up.shiftKey);
    },
  };
}

/** A click splits the note under the pointer; it has to be one, so that nothing is cut by a hand that passes. */
function splitGrip(hit: Hit, x: number, event: PointerEvent): Grip {
  return {
    move() {},
    done(moved) {
      if (moved) return;
      void splitAt(hit.part, hit.note, snappedTick(x, event.altKey));
    },
  };
}

export async function splitAt(part: PartScore, note: number, at: number): Promise<void> {
  const id = idOfRow(part, note);
  await apply(plain("notes.split", { where: { parts: [part.id], notes: [[id, id]] }, at }));
}

// ---- what comes

/** The velocity of the note before a place in a part. */
function forceBefore(part: PartScore, tick: number): number {
  const row = firstAbove(part.start, tick) - 1;
  return keptVelocities()[part.id]![Math.max(row, 0)] ?? 80;
}

/**
 * A new note in one movement: it begins where the hand goes down, lasts as far as that goes to the right, and is struck
 * the harder the higher it goes. With Shift held the note itself goes with the hand, to another place or pitch. A press
 * without a movement puts in nothing. A pen says by its pressure how hard.
 */
function addGrip(x: number, y: number, event: PointerEvent): Grip | null {
  const { score } = desk();
  const part = leadPart();
  if (!score || !part) return null;
  let [lastX, lastY] = [x, y];
  // What has been drawn, in pixels: where it begins, how far it goes, how high above its pitch it was struck.
  let [startX, pitchY, wide] = [x, y, 0];
  let force = forceBefore(part, snappedTick(x, event.altKey));
  // The greatest pressure of a pen so far.
  let pressed = 0;
  let heard = -1;
  if (desk().shaping) close();
  return {
    move(toX, toY, now) {
      if (now.shiftKey) {
        startX += toX - lastX;
        pitchY += toY - lastY;
      } else {
        wide += toX - lastX;
        if (now.pointerType === "pen" && now.pressure) pressed = Math.max(pressed, now.pressure);
        force = pressed ? between(127 * pressed, 1, 127) : between(force - (toY - lastY) * FORCE, 1, 127);
      }
      [lastX, lastY] = [toX, toY];
      const { camera, grid } = desk();
      const pitch = pitchOf(camera, pitchY);
      if (pitch < 0) return;
      const free = now.altKey;
      const start = snappedTick(startX, free);
      const least =
        free === grid.snap ? Math.round(score.resolution / SHORTEST) : Math.round(gridTicks(score, grid));
      const length = Math.max(snappedTick(startX + wide, free) - start, least);
      const velocity = Math.round(force);
      if (pitch !== heard && desk().wishes.sounds) void player.tap(part.id, pitch, velocity);
      heard = pitch;
      preview(
        plain("notes.add", { where: { parts: [part.id] }, notes: [{ start, length, pitch, velocity }] }),
      );
      const word = wordOf(kindOf(VELOCITY), velocity);
      set({ hint: HELD });
      say(
        toX,
        toY,
        `${placeText(score, start)}  ${rowName(part, pitch)}, ${inBeats(score, length)}, velocity ${velocity} ${word}`,
      );
    },
    done(moved) {
      set({ tip: null });
      if (moved) finish();
    },
  };
}

/** Where the pointer is over the ribbons, in pixels; null elsewhere. */
let over: { x: number; y: number } | null = null;
export const pointAt = (place: typeof over): void => {
  over = place;
};

/** Split at the pointer where it is over a note; otherwise what is chosen, at a tick. */
export async function splitHere(tick: number, free: boolean): Promise<void> {
  const hit = over && noteAt("notes", over.x, over.y);
  if (over && hit) return splitAt(hit.part, hit.note, snappedTick(over.x, free));
  const where = chosenWhere();
  if (!where) set({ notice: { text: "Point at a note, or choose some: they are split at the playhead." } });
  else await apply(plain("notes.split", { where, at: Math.round(tick) }));
}
