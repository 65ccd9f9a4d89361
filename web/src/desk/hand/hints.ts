/** The line at the bottom: where the pointer is, and what it would do there. */

import { specOf } from "../../api/strokes";
import { BEND, isPedal, slides, textOf, VELOCITY, valueAt, wordOf } from "../../score/lanes";
import { isOfNotes, NOTE_PITCH } from "../../score/own";
import { idOfRow, placeText, soundingAlone } from "../../score/score";
import { GUTTER, pitchOf, tickOf } from "../page/camera";
import type { LaneStave } from "../stage/laneStage";
import type { Stave } from "../stage/stage";
import { noteName, partName, rowName } from "../take/arranging";
import { selected } from "../take/choosing";
import { shown } from "../take/layers";
import { desk, frontParts, keptVelocities, kindOf, laneLevels, leadPart, set } from "../take/state";
import { noteHint } from "./noteGestures";
import { depthHint, pedalHint } from "./pedalGestures";
import { noteAt, velocityAt } from "./picking";
import { threadHint } from "./threadGestures";

export function hover(stave: Stave, x: number, y: number): void {
  const { camera, score } = desk();
  if (!score || !leadPart()) return;
  const hint = hintFor(stave, x, y, placeText(score, Math.max(tickOf(camera, x), 0)));
  set({ hint: `${hint}${byRule(stave, x, y, hint)}` });
}

/** What the rules did to the note under the pointer, behind what is said of it: at once, or when it is known. */
function byRule(stave: Stave, x: number, y: number, hint: string): string {
  const hit = stave === "notes" ? noteAt("notes", x, y) : stave === "lane" ? noteAt("bead", x, y) : null;
  if (!hit || !isRuled()) return "";
  const again = () => {
    if (desk().hint === hint) hover(stave, x, y);
  };
  if (reasons) {
    const told = reasons.reasonsOf(idOfRow(hit.part, hit.note), again);
    return told && ` · ${told}`;
  }
  void import("../take/reasons").then((found) => {
    reasons = found;
    again();
  });
  return "";
}

let reasons: typeof import("../take/reasons") | null = null;

/** Whether any rule has a say: nothing is asked for otherwise. */
function isRuled(): boolean {
  const { history, shaping } = desk();
  const all = history.strokes.filter(({ on }) => on).map(({ stroke }) => stroke);
  if (shaping && !shaping.problem) all.push(shaping.stroke);
  return all.some(({ kind }) => specOf(kind).family === "play");
}

function hintFor(stave: Stave, x: number, y: number, place: string): string {
  const { camera, score, grid, voice } = desk();
  const lead = leadPart();
  if (!score || !lead) return "";
  const free = grid.snap ? "Alt: off the grid" : "Alt: on the grid";
  if (stave === "overview") return `${place} — drag to move through the take`;
  if (stave === "ruler") return `${place} — click to play from here, drag to choose a span (${free})`;
  if (stave === "notes") {
    const pitch = pitchOf(camera, y);
    const name = pitch < 0 ? "" : rowName(lead, pitch);
    if (x < GUTTER)
      return `${name} — click to ${pitch === voice ? "let go of" : "choose"} all of it; the lane then shows it alone`;
    const thread = threadHint(x, y);
    if (thread) return `${place}  ${name} — ${thread}`;
    const hit = noteAt("notes", x, y);
    const does = desk().activeLane === NOTE_PITCH ? "" : noteHint(x, y);
    if (!hit && does) return `${place}  ${name} — ${does}`;
    if (!hit)
      return `${place}  ${name} — drag to choose notes (Shift: add; Ctrl: put in a note; d: the pointer draws)`;
    const velocity = keptVelocities()[hit.part.id]![hit.note]!;
    if (desk().activeLane === NOTE_PITCH && desk().chosen[hit.part.id]![hit.note]!)
      return `${place}  ${name}, velocity ${velocity} — drag its ribbon to bend it there: nodes and ways, to the notes named in Shape (Alt: any pitch; Shift: choose)`;
    const whose = frontParts().length > 1 ? `${partName(hit.part)}, ` : "";
    if (does) return `${place}  ${whose}${name}, velocity ${velocity} — ${does}`;
    return `${place}  ${whose}${name}, velocity ${velocity} ${wordOf(kindOf(VELOCITY), velocity)} — click to choose (Shift: add)`;
  }
  const velocity = velocityAt(y);
  return `${place}  ${velocity} ${wordOf(kindOf(VELOCITY), velocity)} — ${laneOffer(x, y)}`;
}

function laneOffer(x: number, y: number): string {
  const { shaping, drawing, thereAndBack, chosen, score } = desk();
  if (drawing) return "drag to draw over the notes (Shift: straight; Ctrl: choose; d: choose again)";
  const bead = noteAt("bead", x, y);
  if (bead && score) {
    const velocity = keptVelocities()[bead.part.id]![bead.note]!;
    const all = chosen[bead.part.id]![bead.note]! && desk().chosenCount > 1;
    return `${all ? "drag to move all that are chosen" : "drag to move it"} (it has ${velocity} ${wordOf(kindOf(VELOCITY), velocity)}; l: stop, pin or squeeze; Alt+wheel: one by one)`;
  }
  if (shaping) return "drag a grip to change the stroke; click beside it to let go";
  if (selected()) {
    return thereAndBack
      ? "drag from where it swells to where it has died away, as high as its peak (Alt: off the notes; t: a plain hairpin)"
      : "drag from where the hairpin starts to where it ends (Alt: off the notes; Shift: choose instead; t: there and back)";
  }
  return "click a note or drag to choose some; then drag here to draw a hairpin";
}

/** The same over a lane. */
export function hoverLane(stave: LaneStave, x: number, y: number): void {
  const { camera, score, layers } = desk();
  if (!score) return;
  const tick = Math.max(tickOf(camera, x), 0);
  const nodes = shown(layers).lanes.get(stave.kind.key);
  if (isOfNotes(stave.kind.key)) {
    const { kind, height } = stave;
    const here = textOf(kind, laneLevels(kind, height).valueAt(y));
    set({ hint: `${placeText(score, tick)}  ${here} — ${strokeOffer(stave, x)}` });
    return;
  }
  const value = nodes ? valueAt(nodes, tick) : null;
  const here = stave.open && stave.kind.key === BEND ? `; here ${pitchAt(stave, tick, y)}` : "";
  set({
    hint: `${placeText(score, tick)}  ${laneValue(stave, value, tick)}${here} — ${strokeOffer(stave, x)}`,
  });
}

/** What the height of the pointer would come to: semitones, and where one note sounds the note and its cents. */
function pitchAt({ kind, height }: LaneStave, tick: number, y: number): string {
  const value = laneLevels(kind, height).valueAt(y);
  return `${textOf(kind, value)}${reached(tick, value)}`;
}

/** The note that a bend comes to, where one note alone sounds. */
function reached(tick: number, value: number): string {
  const part = leadPart();
  const from = part ? soundingAlone(part, tick) : null;
  if (from === null) return "";
  const pitch = from + value;
  const nearest = Math.round(pitch);
  const cents = Math.round((pitch - nearest) * 100);
  const off = cents ? ` ${cents > 0 ? "+" : "−"}${Math.abs(cents)} cents` : "";
  return nearest >= 0 && nearest < 128 ? `, ${noteName(nearest)}${off}` : "";
}

function laneValue({ kind, form }: LaneStave, value: number | null, tick: number): string {
  if (value === null) return "no value yet";
  if (kind.key === BEND) return `${textOf(kind, value)}${reached(tick, value)}`;
  return slides(form) ? textOf(kind, value) : `${value} ${wordOf(kind, value)}`;
}

function strokeOffer({ open, kind, form }: LaneStave, x: number): string {
  if (open && isPedal(kind) && !desk().drawing) {
    const offer = slides(form) ? depthHint(kind.key, x) : pedalHint(kind.key, x);
    if (offer) return offer;
  }
  if (open && isOfNotes(kind.key))
    return desk().drawing
      ? "drag to draw over a note, from its start (all that are chosen with it get the same; Ctrl: choose)"
      : "press on a chosen note's curve for a node, drag nodes and ways, or click a curve to choose its note (d: draw; Shift: add, or ease)";
  if (open && kind.key === BEND)
    return desk().drawing
      ? "drag to draw, click for a node (Shift: straight, to a note; Alt: any pitch; Alt+wheel: closer)"
      : "drag a node to the note it is to reach, or a way; or choose a span (d: draw; Alt: any pitch; Alt+wheel: closer)";
  if (!open) return "drag to choose a span";
  return desk().drawing
    ? "drag to draw, click for a node (Shift: straight; Alt: off the grid; Ctrl: choose; d: choose again)"
    : "drag a node or a way, or choose a span for the frame (d: draw; Alt: off the grid and round values; Shift: ease)";
}

export function hoverNothing(): void {
  set({ hint: "" });
}
