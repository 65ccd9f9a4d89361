/** What the pointer does on each stave. Pixels become ticks and values here, and nothing more is made of them. */
import type { Hairpin, Stroke } from "../api/client";
import { partName, rowName } from "./arranging";
import {
  type Camera,
  GUTTER,
  pitchOf,
  scrolled,
  scrolledRows,
  tickOf,
  velocityOf,
  xOf,
  yOfPitch,
  yOfVelocity,
  zoomed,
  zoomedRows,
} from "./camera";
import { overviewTick } from "./draw/overview";
import { dynamicOf, firstAbove, nearestLine, noneOf, type PartScore, placeText, sounding } from "./score";
import { choose, chooseIn, chooseNone, chooseSpan, chooseVoice, selected } from "./selecting";
import { keep, letGo, preview, settled } from "./shaping";
import type { Elements, Stave } from "./stage";
import { desk, frontParts, leadPart, look, set } from "./state";

const SLOP = 4;
const REACH = 8;
const BEAD_REACH = 9;
/** A note may come this much of a quarter early and still belong to the beat: an eighth of it. */
const EARLY = 8;

interface Grip {
  move: (x: number, y: number, event: PointerEvent) => void;
  done: (moved: boolean, event: PointerEvent) => void;
}

export interface Actions {
  playFrom: (tick: number) => void;
}

/** Attach all gestures; the result takes them off again. */
export function attach(elements: Elements, actions: Actions): () => void {
  const ending = new AbortController();
  const { signal } = ending;
  const begin: Record<Stave, (x: number, y: number, event: PointerEvent) => Grip | null> = {
    overview: (x) => overviewGrip(x),
    ruler: (x, _y, event) => rulerGrip(x, event, actions),
    notes: (x, y, event) => notesGrip(x, y, event),
    lane: (x, y, event) => laneGrip(x, y, event),
  };
  for (const stave of ["overview", "ruler", "notes", "lane"] as const) {
    const canvas = elements[stave];
    const pointers = new Map<number, { x: number; y: number }>();
    let grip: Grip | null = null;
    let from = { x: 0, y: 0 };
    let moved = false;

    const at = (event: PointerEvent | WheelEvent) => {
      const box = canvas.getBoundingClientRect();
      return { x: event.clientX - box.left, y: event.clientY - box.top };
    };
    const down = (event: PointerEvent) => {
      const here = at(event);
      pointers.set(event.pointerId, here);
      canvas.setPointerCapture(event.pointerId);
      if (pointers.size === 2) {
        cancel();
        return;
      }
      if (event.button === 2) return;
      canvas.focus({ preventScroll: true });
      from = here;
      moved = false;
      grip = event.button === 1 ? panGrip(here.x, here.y) : begin[stave](here.x, here.y, event);
    };
    const move = (event: PointerEvent) => {
      const here = at(event);
      if (pointers.size === 2 && pointers.has(event.pointerId)) {
        pinch(pointers, event.pointerId, here);
        return;
      }
      if (!grip) {
        hover(stave, here.x, here.y);
        return;
      }
      if (!moved && Math.hypot(here.x - from.x, here.y - from.y) < SLOP) return;
      moved = true;
      grip.move(here.x, here.y, event);
    };
    const up = (event: PointerEvent) => {
      pointers.delete(event.pointerId);
      const held = grip;
      grip = null;
      held?.done(moved, event);
    };
    const cancel = () => {
      if (!grip) return;
      grip = null;
      letGo();
    };
    const wheel = (event: WheelEvent) => {
      event.preventDefault();
      const here = at(event);
      const unit = event.deltaMode === 1 ? 16 : 1;
      const across = event.deltaX * unit;
      const along = event.deltaY * unit;
      look((camera, score) => {
        if (event.ctrlKey || event.metaKey) {
          const factor = Math.exp(-along * (Math.abs(along) < 30 ? 0.012 : 0.003));
          return event.shiftKey
            ? zoomedRows(camera, score, here.y, factor)
            : zoomed(camera, score, here.x, factor);
        }
        if (event.shiftKey && stave === "notes") return scrolledRows(camera, score, along || across);
        return scrolled(camera, score, across + along);
      });
    };
    const leave = () => set({ hint: "" });
    const escaped = (event: KeyboardEvent) => {
      if (event.key === "Escape" && grip) {
        event.stopImmediatePropagation();
        cancel();
      }
    };
    const noMenu = (event: Event) => event.preventDefault();
    canvas.addEventListener("pointerdown", down, { signal });
    canvas.addEventListener("pointermove", move, { signal });
    canvas.addEventListener("pointerup", up, { signal });
    canvas.addEventListener("pointercancel", up, { signal });
    canvas.addEventListener("pointerleave", leave, { signal });
    canvas.addEventListener("wheel", wheel, { passive: false, signal });
    canvas.addEventListener("contextmenu", noMenu, { signal });
    window.addEventListener("keydown", escaped, { capture: true, signal });
  }
  return () => ending.abort();
}

// ---- moving about

function pinch(
  pointers: Map<number, { x: number; y: number }>,
  id: number,
  here: { x: number; y: number },
): void {
  const [a, b] = [...pointers.values()];
  const before = Math.abs(a.x - b.x);
  const middleBefore = (a.x + b.x) / 2;
  pointers.set(id, here);
  const [c, d] = [...pointers.values()];
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
    return roundEarly(leadPart(), nearestLine(score, tick, grid), score.resolution / EARLY);
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
  const early = part && part.start[firstAbove(part.start, line - within - 1)];
  return early !== undefined && early < line ? early : line;
}

// ---- choosing notes

interface Hit {
  part: PartScore;
  note: number;
}

/** The note under the pointer, of the parts in front. */
function noteAt(stave: "notes" | "lane", x: number, y: number): Hit | null {
  const { camera, kept, voice } = desk();
  let best: Hit | null = null;
  let nearest = Number.POSITIVE_INFINITY;
  for (const part of frontParts()) {
    const [from, to] = sounding(part, tickOf(camera, x - BEAD_REACH), tickOf(camera, x + BEAD_REACH));
    for (let note = from; note < to; note++) {
      if (voice !== null && part.pitch[note] !== voice) continue;
      const left = xOf(camera, part.start[note]);
      const right = Math.max(xOf(camera, part.end[note]), left + 6);
      let distance: number;
      if (stave === "notes") {
        if (x < left - 2 || x > right || part.pitch[note] !== pitchOf(camera, y)) continue;
        distance = Math.abs(x - left) / 1000;
      } else {
        const level = yOfVelocity(camera, kept[part.id][note]);
        const onBead = Math.hypot(x - left, y - level);
        const onDash = x >= left && x <= right ? Math.abs(y - level) + 3 : Number.POSITIVE_INFINITY;
        distance = Math.min(onBead, onDash);
        if (distance > BEAD_REACH) continue;
      }
      if (distance < nearest) {
        nearest = distance;
        best = { part, note };
      }
    }
  }
  return best;
}

function choosePressed({ part, note }: Hit, add: boolean): void {
  if (!add) {
    const mask = new Uint8Array(part.start.length);
    mask[note] = 1;
    chooseIn(part, mask);
    return;
  }
  const chosen = [...desk().chosen];
  chosen[part.id] = chosen[part.id].slice();
  chosen[part.id][note] = 1 - chosen[part.id][note];
  choose(chosen);
}

function marquee(stave: "notes" | "lane", x0: number, y0: number, add: boolean): Grip {
  const { score } = desk();
  const base = add || !score ? desk().chosen : noneOf(score);
  return {
    move(x1, y1) {
      const { camera, kept, voice } = desk();
      set({ box: { stave, x0, y0, x1, y1 } });
      const [left, right] = x0 < x1 ? [x0, x1] : [x1, x0];
      const [top, bottom] = y0 < y1 ? [y0, y1] : [y1, y0];
      const chosen = [...base];
      for (const part of frontParts()) {
        const mask = base[part.id].slice();
        const [from, to] = sounding(part, tickOf(camera, left), tickOf(camera, right));
        for (let note = from; note < to; note++) {
          if (voice !== null && part.pitch[note] !== voice) continue;
          const onset = xOf(camera, part.start[note]);
          const level =
            stave === "notes"
              ? yOfPitch(camera, part.pitch[note]) + camera.row / 2
              : yOfVelocity(camera, kept[part.id][note]);
          const half = stave === "notes" ? camera.row / 2 : 3;
          const reaches = stave === "notes" ? xOf(camera, part.end[note]) >= left : onset >= left;
          if (reaches && onset <= right && level + half >= top && level - half <= bottom) mask[note] = 1;
        }
        chosen[part.id] = mask;
      }
      choose(chosen);
    },
    done() {
      set({ box: null });
    },
  };
}

function notesGrip(x: number, y: number, event: PointerEvent): Grip | null {
  if (!leadPart()) return null;
  if (desk().shaping) letGo();
  if (x < GUTTER) {
    const pitch = pitchOf(desk().camera, y);
    return { move() {}, done: (moved) => moved || pitch < 0 || chooseVoice(pitch) };
  }
  return choiceGrip("notes", x, y, event);
}

/** A click chooses the note under it or lets go; a drag chooses what it goes round. */
function choiceGrip(stave: "notes" | "lane", x: number, y: number, event: PointerEvent): Grip {
  const hit = noteAt(stave, x, y);
  const sweep = marquee(stave, x, y, event.shiftKey);
  return {
    move: sweep.move,
    done(moved, up) {
      if (moved) sweep.done(moved, up);
      else if (hit) choosePressed(hit, event.shiftKey);
      else if (!event.shiftKey) {
        chooseNone();
        chooseSpan(null);
      }
    },
  };
}

// ---- the hairpin

/** The onsets and edges that an end of a hairpin is drawn to, when it comes near. */
function drawnTo(x: number, free: boolean): number {
  const { camera, chosen, chosenCount, span, grid } = desk();
  const tick = Math.max(Math.round(tickOf(camera, x)), 0);
  if (free === grid.snap) return tick;
  const within = REACH / camera.perTick;
  let best = tick;
  let nearest = within;
  const consider = (at: number) => {
    if (Math.abs(at - tick) <= nearest) {
      nearest = Math.abs(at - tick);
      best = at;
    }
  };
  for (const part of frontParts()) {
    const [from, to] = sounding(part, tick - within, tick + within);
    for (let note = from; note < to; note++) {
      if (!chosenCount || chosen[part.id][note]) consider(part.start[note]);
    }
  }
  for (const edge of span ?? []) consider(edge);
  return best;
}

const level = (camera: Camera, y: number) => Math.min(Math.max(Math.round(velocityOf(camera, y)), 1), 127);

function laneGrip(x: number, y: number, event: PointerEvent): Grip | null {
  if (!leadPart() || x < GUTTER) return null;
  if (desk().shaping) {
    // A stroke is open: its grips shape it, and the lane beside them lets go of it.
    return { move() {}, done: (moved) => moved || letGo() };
  }
  const where = selected();
  if (!where || event.shiftKey) return choiceGrip("lane", x, y, event);
  const { camera } = desk();
  const start = drawnTo(x, event.altKey);
  const startLevel = level(camera, y);
  let begun = false;
  return {
    move(toX, toY, now) {
      const end = drawnTo(Math.max(toX, GUTTER), now.altKey);
      if (end === start) return;
      begun = true;
      const forwards = end > start;
      const endLevel = level(desk().camera, toY);
      const stroke: Stroke = {
        kind: "velocity.hairpin",
        // The end of a span is not part of it; one tick more takes in the note that the line is drawn to.
        where: { ...where, span: [Math.min(start, end), Math.max(start, end) + 1] },
        start: forwards ? startLevel : endLevel,
        end: forwards ? endLevel : startLevel,
        ...restOfHairpin(),
      };
      preview(stroke);
    },
    done() {
      if (begun) void keep();
      else choiceGrip("lane", x, y, event).done(false, event);
    },
  };
}

/** The numbers that a newly drawn hairpin takes over from the form in Shape. */
export function restOfHairpin(): Omit<Hairpin, "kind" | "where" | "start" | "end"> {
  return { lift: 0, ease: 0, accents: 0, mode: "to", floor: 1, ceiling: 127 };
}

// ---- the grips of an open hairpin

export type HairpinGrip = "start" | "lift" | "end";

/** A grip follows the pointer, or is moved by `steps` from the keyboard. */
export function moveGrip(grip: HairpinGrip, to: { x: number; y: number } | { steps: number }): void {
  const { shaping, camera } = desk();
  if (shaping?.stroke.kind !== "velocity.hairpin") return;
  const { stroke, mark } = shaping;
  const scale = stroke.mode === "by" ? 127 : 1;
  const limited = (value: number) => Math.min(Math.max(value, 0), 127);
  if ("steps" in to) {
    if (grip === "lift")
      preview({ ...stroke, lift: rounded(Math.min(Math.max((stroke.lift ?? 0) - to.steps / 20, -1), 1)) });
    else preview({ ...stroke, [grip]: rounded(limited(stroke[grip] + to.steps / scale)) });
    return;
  }
  if (grip === "lift") {
    const line = mark?.line;
    if (!line) return;
    preview(stroke, [Math.round((line[0][0] + line[line.length - 1][0]) / 2), velocityOf(camera, to.y)]);
    return;
  }
  const value = rounded(
    limited(stroke.mode === "by" ? velocityOf(camera, to.y) / 127 : Math.round(velocityOf(camera, to.y))),
  );
  const span = stroke.where?.span;
  if (span) {
    const tick = drawnTo(Math.max(to.x, GUTTER), false);
    const moved: [number, number] =
      grip === "start" ? [Math.min(tick, span[1] - 2), span[1]] : [span[0], Math.max(tick, span[0] + 1) + 1];
    preview({ ...stroke, [grip]: value, where: { ...stroke.where, span: moved } });
  } else preview({ ...stroke, [grip]: value });
}

const rounded = (value: number) => Math.round(value * 100) / 100;

/** Keep what a grip has made. */
export async function releaseGrip(): Promise<void> {
  await settled();
  await keep();
}

// ---- the line at the bottom

function hover(stave: Stave, x: number, y: number): void {
  const { camera, score } = desk();
  if (!score || !leadPart()) return;
  set({ hint: hintFor(stave, x, y, placeText(score, Math.max(tickOf(camera, x), 0))) });
}

function hintFor(stave: Stave, x: number, y: number, place: string): string {
  const { camera, score, shaping, kept, grid, voice } = desk();
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
    const hit = noteAt("notes", x, y);
    if (!hit) return `${place}  ${name} — drag to choose notes (Shift: add)`;
    const velocity = kept[hit.part.id][hit.note];
    const whose = frontParts().length > 1 ? `${partName(hit.part)}, ` : "";
    return `${place}  ${whose}${name}, velocity ${velocity} ${dynamicOf(score, velocity)} — click to choose (Shift: add)`;
  }
  const velocity = level(camera, y);
  const here = `${place}  ${velocity} ${dynamicOf(score, velocity)}`;
  if (shaping) return `${here} — drag a grip to change the stroke; click beside it to let go`;
  if (selected()) {
    return `${here} — drag from where the hairpin starts to where it ends (Alt: off the notes; Shift: choose instead)`;
  }
  return `${here} — click a note or drag to choose some; then drag here to draw a hairpin`;
}
