/** A lane's canvas, kept in step with the desk's state. */

import { lanesOf, rangeOf, valueAt } from "../../score/lanes";
import { gridTicks, nearestLine, type PartScore, placeText } from "../../score/score";
import { rounded } from "../../ui/numbers";
import { GUTTER, tickOf } from "../page/camera";
import { mixInk } from "../page/draw/ink";
import { drawLane } from "../page/draw/lane";
import { partDye } from "../take/arranging";
import { chooseSpan } from "../take/choosing";
import { type DeskState, desk, differs, leadPart, type Shaping, set, useDesk } from "../take/state";

/** What of the desk's state a lane shows. */
const DRAWN: readonly (keyof DeskState)[] = [
  "score",
  "camera",
  "fronts",
  "arrangement",
  "wishes",
  "grid",
  "span",
  "sound",
  "lanes",
  "liveLanes",
  "ghostLanes",
  "earlierLanes",
  "shaping",
  "history",
];

export interface LaneKind {
  key: string;
  open: boolean;
  isSwitch: boolean;
  unit: string;
}

/** Whether the open stroke is one on a lane. */
export function shapesLane({ shaping }: { shaping: Shaping | null }, key: string): boolean {
  return !!shaping && lanesOf(shaping.stroke).includes(key);
}

/** What a lane was before the open stroke, where that has changed it: dotted behind what it is now. */
function wasThere({ liveLanes, ghostLanes, lanes, shaping }: DeskState, key: string) {
  if (shapesLane({ shaping }, key) && ghostLanes) return ghostLanes.get(key);
  return liveLanes && liveLanes.get(key) !== lanes.get(key) ? lanes.get(key) : undefined;
}

/** Draw on the canvas from now on; the result stops it. */
export function attachLane(canvas: HTMLCanvasElement, kind: () => LaneKind): () => void {
  const ink = mixInk();
  const pen = canvas.getContext("2d", { alpha: false }) as CanvasRenderingContext2D;
  let frame = 0;
  const draw = () => {
    frame = 0;
    const state = desk();
    const part = leadPart(state);
    if (!state.score || !part) return;
    const density = window.devicePixelRatio || 1;
    const height = canvas.clientHeight;
    const size = [Math.round(state.camera.width * density), Math.round(height * density)];
    if (canvas.width !== size[0] || canvas.height !== size[1]) [canvas.width, canvas.height] = size;
    pen.setTransform(density, 0, 0, density, 0, 0);
    const { key, open, isSwitch } = kind();
    const favourite = state.wishes.favourites?.find((one) => one.key === key);
    drawLane({
      pen,
      ink,
      camera: state.camera,
      score: state.score,
      fronts: [part],
      behind: [],
      coming: [],
      dyeOf: (one: PartScore) => favourite?.dye || partDye(one, state.arrangement),
      nameOf: () => "",
      shown: state.kept,
      ghost: null,
      picked: state.chosen,
      voice: null,
      span: state.span,
      gridTicks: gridTicks(state.score, state.grid),
      box: null,
      mark: shapesLane(state, key) ? (state.shaping?.mark ?? null) : null,
      kept: state.history.strokes
        .filter(({ stroke, on, idle }) => on && !idle && lanesOf(stroke).includes(key))
        .filter(({ mark }) => mark.parts.includes(part.id))
        .map(({ mark }) => mark),
      laneKey: key,
      nodes: (state.earlierLanes ?? state.liveLanes ?? state.lanes).get(key),
      was: wasThere(state, key),
      height,
      sound: state.sound,
      open,
      isSwitch,
      firstNote: part.start[0] ?? 0,
    });
  };
  const ask = () => {
    if (!frame) frame = requestAnimationFrame(draw);
  };
  const stopWatching = useDesk.subscribe((now, was) => differs(now, was, DRAWN) && ask());
  const sizes = new ResizeObserver(ask);
  sizes.observe(canvas);
  ask();
  return () => {
    cancelAnimationFrame(frame);
    stopWatching();
    sizes.disconnect();
  };
}

/** What the line at the bottom says over a lane. */
export function laneHint(kind: LaneKind, x: number): string {
  const { camera, score, lanes } = desk();
  if (!score) return "";
  const tick = Math.max(tickOf(camera, x), 0);
  const nodes = (desk().liveLanes ?? lanes).get(kind.key);
  const value = nodes && valueAt(nodes, tick);
  const shown =
    value === null || value === undefined
      ? "no value yet"
      : kind.isSwitch
        ? `${value} ${value >= 64 ? "on" : "off"}`
        : rangeOf(kind.key, nodes)[0] < 0
          ? `${value >= 0 ? "+" : "−"}${Math.abs(value).toFixed(2)} semitones`
          : String(rounded(value));
  const offer = !kind.open
    ? "drag to choose a span"
    : desk().drawing
      ? "drag to draw, click for a node (Shift: straight; Alt: off the grid; Ctrl: choose; d: choose again)"
      : "drag a node or a way, or choose a span for the frame (d: draw; Alt: off the grid and round values; Shift: ease)";
  return `${placeText(score, tick)}  ${shown} — ${offer}`;
}

/** A drag along a lane chooses a span, as along the ruler. */
export function spanFrom(x: number, free: boolean): (to: number) => void {
  const snapped = (at: number) => {
    const { camera, score, grid } = desk();
    const tick = Math.max(Math.round(tickOf(camera, Math.max(at, GUTTER))), 0);
    return score && free !== grid.snap ? nearestLine(score, tick, grid) : tick;
  };
  const start = snapped(x);
  return (to) => {
    const end = snapped(to);
    if (end !== start) chooseSpan([Math.min(start, end), Math.max(start, end)]);
  };
}

export function sayHint(hint: string): void {
  set({ hint });
}

/** Scroll the lanes so that one is seen; only them, which `scrollIntoView` would not keep to. */
export function bringToSight(key: string): void {
  const lane = document.querySelector(`[data-lane="${key}"]`);
  const list = lane?.closest("section");
  if (!lane || !list) return;
  const [here, whole] = [lane.getBoundingClientRect(), list.getBoundingClientRect()];
  const below = Math.max(here.bottom - whole.bottom, 0);
  list.scrollTop += below > 0 ? Math.min(below, here.top - whole.top) : Math.min(here.top - whole.top, 0);
}
