/** What the pointer does on each stave. Pixels become ticks and values point, and nothing more is made of them. */

import { VELOCITY } from "../../score/lanes";
import { NOTE_PITCH } from "../../score/own";
import { earlyTicks, firstAbove, nearestLine, type PartScore } from "../../score/score";
import { GUTTER, pitchOf, scrolled, scrolledRows, tickOf, zoomed, zoomedRows } from "../page/camera";
import { overviewTick } from "../page/draw/overview";
import type { Elements, Stave } from "../stage/stage";
import { chooseSpan, chooseVoice } from "../take/choosing";
import { close } from "../take/shaping";
import { desk, leadPart, look, set } from "../take/state";
import { type Grip, Press } from "./grip";
import { hover } from "./hints";
import { noteGrip, pointAt } from "./noteGestures";
import { ownGrip, ribbonSurface } from "./ownGestures";
import { choiceGrip } from "./picking";
import { threadGrip } from "./threadGestures";
import { nudgeByWheel, velocityGrip } from "./velocityGestures";
import { closerBy, turned } from "./wheel";

export interface Actions {
  playFrom: (tick: number) => void;
}

type Begin = (x: number, y: number, event: PointerEvent) => Grip | null;

/** Attach all gestures; the result takes them off again. */
export function attach(elements: Elements, actions: Actions): () => void {
  const ending = new AbortController();
  const begin: Record<Stave, Begin> = {
    overview: (x) => overviewGrip(x),
    ruler: (x, _y, event) => rulerGrip(x, event, actions),
    notes: (x, y, event) => notesGrip(x, y, event),
    lane: (x, y, event) => {
      set({ activeLane: VELOCITY });
      return velocityGrip(x, y, event);
    },
  };
  for (const stave of ["overview", "ruler", "notes", "lane"] as const)
    attachStave(stave, elements[stave], begin[stave], ending.signal);
  return () => ending.abort();
}

/** Until the signal comes, presses on a stave begin something, moves are told of, and the wheel moves the page. */
function attachStave(stave: Stave, canvas: HTMLCanvasElement, begin: Begin, signal: AbortSignal): void {
  const pointers = new Map<number, { x: number; y: number }>();
  const press = new Press(stave === "lane");
  const at = (event: PointerEvent | WheelEvent) => {
    const box = canvas.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  };
  const down = (event: PointerEvent) => {
    const point = at(event);
    pointers.set(event.pointerId, point);
    canvas.setPointerCapture(event.pointerId);
    if (pointers.size === 2) {
      press.cancel();
      return;
    }
    if (event.button === 2) return;
    canvas.focus({ preventScroll: true });
    const of = (pressed: PointerEvent) =>
      event.button === 1 ? panGrip(point.x, point.y) : begin(point.x, point.y, pressed);
    press.begin(of, point.x, point.y, event);
    // A finger does not hover: what it does is told as it goes down.
    if (event.pointerType === "touch") hover(stave, point.x, point.y);
  };
  const move = (event: PointerEvent) => {
    const point = at(event);
    if (pointers.size === 2 && pointers.has(event.pointerId)) {
      pinch(pointers, event.pointerId, point);
      return;
    }
    if (stave === "notes") pointAt(point);
    if (!press.move(point.x, point.y, event)) hover(stave, point.x, point.y);
  };
  const up = (event: PointerEvent) => {
    pointers.delete(event.pointerId);
    press.end(event);
  };
  const wheel = (event: WheelEvent) => {
    event.preventDefault();
    turnWheel(stave, event, at(event));
  };
  const leave = () => {
    pointAt(null);
    set({ hint: "" });
  };
  canvas.addEventListener("pointerdown", down, { signal });
  canvas.addEventListener("pointermove", move, { signal });
  canvas.addEventListener("pointerup", up, { signal });
  canvas.addEventListener("pointercancel", up, { signal });
  canvas.addEventListener("pointerleave", leave, { signal });
  canvas.addEventListener("wheel", wheel, { passive: false, signal });
  canvas.addEventListener("contextmenu", (event) => event.preventDefault(), { signal });
  signal.addEventListener("abort", press.watchEscape());
}

// ---- moving about

/** Through time; closer, or up and down, with the keys that say so; over velocities also through values. */
function turnWheel(stave: Stave, event: WheelEvent, point: { x: number; y: number }): void {
  const { across, along } = turned(event);
  if (event.altKey && stave === "lane") {
    nudgeByWheel(Math.sign(-(along || across)) * (event.shiftKey ? 10 : 1));
    return;
  }
  look((camera, score) => {
    if (event.ctrlKey || event.metaKey) {
      const factor = closerBy(along);
      return event.shiftKey
        ? zoomedRows(camera, score, point.y, factor)
        : zoomed(camera, score, point.x, factor);
    }
    if (event.shiftKey && stave === "notes") return scrolledRows(camera, score, along || across);
    return scrolled(camera, score, across + along);
  });
}

function pinch(
  pointers: Map<number, { x: number; y: number }>,
  id: number,
  point: { x: number; y: number },
): void {
  const [a = point, b = point] = pointers.values();
  const before = Math.abs(a.x - b.x);
  const middleBefore = (a.x + b.x) / 2;
  pointers.set(id, point);
  const [c = point, d = point] = pointers.values();
  const middle = (c.x + d.x) / 2;
  look((camera, score) => {
    const moved = scrolled(camera, score, middleBefore - middle);
    return before > 10 ? zoomed(moved, score, middle, Math.abs(c.x - d.x) / before) : moved;
  });
}

function panGrip(x: number, y: number): Grip {
  let last = { x, y };
  return {
    move(nowX, nowY) {
      look((camera, score) => scrolledRows(scrolled(camera, score, last.x - nowX), score, last.y - nowY));
      last = { x: nowX, y: nowY };
    },
    done() {},
  };
}

function overviewGrip(x: number): Grip {
  const { camera, score } = desk();
  const visible = (camera.width - GUTTER) / camera.perTick;
  let offset = visible / 2;
  if (score) {
    const tick = overviewTick(camera, score, x);
    if (tick >= camera.left && tick <= camera.left + visible) offset = tick - camera.left;
  }
  const go = (to: number) =>
    look((now, whole) => scrolled({ ...now, left: overviewTick(now, whole, to) - offset }, whole, 0));
  go(x);
  return { move: (to) => go(to), done() {} };
}

// ---- the ruler

function rulerGrip(x: number, event: PointerEvent, actions: Actions): Grip | null {
  const { score } = desk();
  if (!score || x < GUTTER) return null;
  const snap = (at: number, free: boolean) => {
    const tick = Math.max(Math.round(tickOf(desk().camera, at)), 0);
    const { grid } = desk();
    if (free === grid.snap) return tick;
    return roundEarly(leadPart(), nearestLine(score, tick, grid), earlyTicks(score));
  };
  const start = snap(x, event.altKey);
  return {
    move(to, _y, now) {
      const end = snap(to, now.altKey);
      if (end !== start) chooseSpan([Math.min(start, end), Math.max(start, end)]);
    },
    done(moved) {
      if (!moved) actions.playFrom(Math.max(tickOf(desk().camera, x), 0));
    },
  };
}

/**
 * An edge on a beat goes round a note that was played a little early: it belongs to the beat that it was meant for, so a
 * span from there takes it in and one up to there leaves it out.
 */
function roundEarly(part: PartScore | undefined, line: number, within: number): number {
  const early = part?.start[firstAbove(part.start, line - within - 1)];
  return early !== undefined && early < line ? early : line;
}

function notesGrip(x: number, y: number, event: PointerEvent): Grip | null {
  if (!leadPart()) return null;
  const thread = threadGrip(x, y);
  if (thread) return thread;
  const isBent = desk().activeLane === NOTE_PITCH;
  if (isBent && x >= GUTTER && !event.shiftKey) {
    const grip = ownGrip(ribbonSurface(), x, y, desk().drawing && desk().chosenCount > 0);
    if (grip) return grip;
  }
  const held = isBent ? null : noteGrip(x, y, event);
  if (desk().shaping) close();
  if (held) return held;
  if (x < GUTTER) {
    const pitch = pitchOf(desk().camera, y);
    return { move() {}, done: (moved) => moved || pitch < 0 || chooseVoice(pitch) };
  }
  return choiceGrip("notes", x, y, event);
}
