/** A lane's canvas, kept in step with the desk's state. */

import type { Form, LaneKind, Stroke } from "../../api/client";
import { lanesOf, specOf } from "../../api/strokes";
import { BEND } from "../../score/lanes";
import { isOfNotes, otherLevel } from "../../score/own";
import { gridTicks, type PartScore, type Score } from "../../score/score";
import { blank, mixInk } from "../page/draw/ink";
import { drawLane } from "../page/draw/lane";
import { noteName, partDye } from "../take/arranging";
import { shown } from "../take/layers";
import { type DeskState, desk, laneLevels, leadPart, type Shaping, useDesk } from "../take/state";

/** A lane on the desk: a strip, or tall where it is open. */
export interface LaneStave {
  kind: LaneKind;
  form: Form;
  open: boolean;
  height: number;
}

/** Whether the open stroke is one on a lane. */
export function shapesLane({ shaping }: { shaping: Shaping | null }, key: string): boolean {
  return !!shaping && lanesOf(shaping.stroke).includes(key);
}

/** What a lane was before the open stroke, where that has changed it: dotted behind what it is now. */
function wasThere({ layers, shaping }: DeskState, key: string) {
  const { kept, tried, before } = layers;
  if (shapesLane({ shaping }, key) && before) return before.lanes.get(key);
  const was = kept.lanes.get(key);
  return tried && tried.lanes.get(key) !== was ? was : undefined;
}

/** All that a lane shows: where none of it is another, it need not be drawn again. */
function seenOn(state: DeskState, key: string): readonly unknown[] {
  const { layers, score } = state;
  return [
    leadPart(state),
    score?.bars,
    score?.tempo,
    state.camera,
    state.arrangement,
    state.wishes,
    state.grid,
    state.span,
    state.sound,
    state.windows,
    state.closeUp,
    shown(layers).lanes.get(key),
    shown(layers).lanes.get(otherLevel(key)),
    wasThere(state, key),
    shapesLane(state, key) ? state.shaping : null,
    isOfNotes(key) || isOfNotes(otherLevel(key)) ? state.chosen : null,
    ...strokesOn(state, key),
  ];
}

const strokesOn = ({ history }: DeskState, key: string) =>
  history.strokes.filter(({ stroke, on, idle }) => on && !idle && lanesOf(stroke).includes(key));

/** Draw on the canvas from now on; the result stops it. */
export function attachLane(canvas: HTMLCanvasElement, stave: () => LaneStave): () => void {
  const ink = mixInk();
  const pen = canvas.getContext("2d", { alpha: false }) as CanvasRenderingContext2D;
  blank(pen, ink);
  let frame = 0;
  const draw = () => {
    frame = 0;
    const state = desk();
    const part = leadPart(state);
    if (!state.score || !part) return;
    const density = window.devicePixelRatio || 1;
    const height = canvas.clientHeight;
    const [wide, high] = [Math.round(state.camera.width * density), Math.round(height * density)] as const;
    if (canvas.width !== wide || canvas.height !== high) [canvas.width, canvas.height] = [wide, high];
    pen.setTransform(density, 0, 0, density, 0, 0);
    drawLane({ pen, ink, height, ...sceneOf(stave(), height, state, state.score, part) });
  };
  const ask = () => {
    if (!frame) frame = requestAnimationFrame(draw);
  };
  let seen: readonly unknown[] = [];
  const stopWatching = useDesk.subscribe((state) => {
    const now = seenOn(state, stave().kind.key);
    if (now.length === seen.length && now.every((one, at) => one === seen[at])) return;
    seen = now;
    ask();
  });
  const sizes = new ResizeObserver(ask);
  sizes.observe(canvas);
  ask();
  return () => {
    cancelAnimationFrame(frame);
    stopWatching();
    sizes.disconnect();
  };
}

/** What a lane shows as things stand. */
function sceneOf(stave: LaneStave, height: number, state: DeskState, score: Score, part: PartScore) {
  const { kind, form, open } = stave;
  const { key } = kind;
  const nodes = shown(state.layers).lanes.get(key);
  const favourite = state.wishes.favourites?.find((one) => one.key === key);
  return {
    camera: state.camera,
    score,
    fronts: [part],
    behind: [],
    shapes: new Map(),
    coming: [],
    dyeOf: (one: PartScore) => favourite?.dye || partDye(one, state.arrangement),
    nameOf: noteName,
    shown: state.layers.kept.velocities,
    ghost: null,
    picked: state.chosen,
    voice: null,
    span: state.span,
    gridTicks: gridTicks(score, state.grid),
    box: null,
    mark: shapesLane(state, key) ? (state.shaping?.mark ?? null) : null,
    kept: strokesOn(state, key)
      .filter(({ mark }) => mark.parts.includes(part.id))
      .map(({ mark }) => mark),
    form,
    scale: laneLevels(kind, height, state),
    nodes,
    was: wasThere(state, key),
    sound: state.sound,
    open,
    ranges: key === BEND ? part.bendRange : [],
    inForce: key === BEND ? part.inForce : [],
    firstNote: part.start[0] ?? 0,
    ofNotes: isOfNotes(key),
    beside: open ? shown(state.layers).lanes.get(otherLevel(key)) : undefined,
    spread: state.shaping ? bowsOf(state.shaping.stroke, key) : null,
  };
}

/** How far a stroke may take nodes of a lane, where that is drawn. */
function bowsOf(stroke: Stroke, key: string): number | null {
  const shows = specOf(stroke.kind).evidence?.includes("bows") && lanesOf(stroke).includes(key);
  return shows && "amount" in stroke ? stroke.amount : null;
}
