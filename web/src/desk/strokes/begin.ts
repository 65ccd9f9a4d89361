/** Beginning strokes: each opens with numbers that make sense where it is begun, to be changed and kept. */
import type { Stroke, Where } from "../../api/client";
import { type Gesture, type Of, plain, specOf } from "../../api/strokes";
import { type EXPRESSION, VELOCITY, type VOLUME } from "../../score/lanes";
import { maskOf } from "../../score/score";
import { openStroke } from "../take/arranging";
import { keep, preview } from "../take/shaping";
import { desk, frontParts, type Limit, set } from "../take/state";
import { beginNote } from "./beginNotes";
import { beginGive, beginGlide } from "./beginOwn";
import { copyNotes } from "./copying";
import { anotherRoll, lookedUp } from "./numbers";
import { begin } from "./opening";
import { PLACES } from "./places";

export type Fade = Of<"velocity.hairpin"> | Of<"lane.fade">;
/** What a fade is written as: the touch of the notes, or a level controller. */
export type Writing = typeof VELOCITY | typeof EXPRESSION | typeof VOLUME;

/** Gestures that look for more than a place and numbers before they open. */
const OPENERS: Record<string, (lane: string) => void> = {
  note: beginNote,
  copy: copyNotes,
  give: beginGive,
  glide: beginGlide,
  hand: () => void import("./hands").then(({ beginHand }) => beginHand()),
};

/** Begin a gesture of the table on a lane. */
export function beginGesture(gesture: Gesture, lane: string): void {
  const opener = OPENERS[gesture.begins];
  if (opener) {
    opener(lane);
    return;
  }
  const where = PLACES[gesture.where]!(lane);
  if (!where) return;
  const stroke = beginningOf(gesture, lane, where);
  const standing = specOf(gesture.kind).stands ? standingAt(stroke) : undefined;
  if (standing !== undefined) {
    void openStroke(standing);
    return;
  }
  const shown = specOf(gesture.kind).lane;
  if (shown) set({ activeLane: shown });
  begin(stroke);
}

/** The stroke of a gesture with the numbers that it begins with there. */
function beginningOf({ kind, given }: Gesture, lane: string, where: Where): Stroke {
  const { fields, named_by, lane: one } = specOf(kind);
  const { limit, travels } = desk();
  return plain(kind, {
    // What the hand is set to holds for whatever has such a field.
    ...("limit" in fields ? { limit } : {}),
    ...("under" in fields ? { under: travels } : {}),
    ...("seed" in fields && fields.seed.default !== null ? { seed: anotherRoll() } : {}),
    ...(named_by.includes("lane") && !one ? { lane } : {}),
    ...lookedUp(given, lane, where),
    where,
  } as never) as Stroke;
}

/** The standing stroke of the same kind, on the same lane of the same parts, where there is one. */
function standingAt(stroke: Stroke): number | undefined {
  const lane = (one: Stroke) => ("lane" in one ? String(one.lane) : "");
  return desk().history.strokes.find(
    ({ stroke: other }) =>
      other.kind === stroke.kind &&
      lane(other) === lane(stroke) &&
      String(other.where?.parts) === String(stroke.where?.parts) &&
      String(other.where?.span ?? "") === String(stroke.where?.span ?? ""),
  )?.number;
}

/** The same fade, written otherwise. */
export function rewritten(fade: Fade, as: Writing): Fade {
  const { start, end, lift, ease } = fade;
  const mark = desk().shaping?.mark;
  const span = fade.where?.span ?? (mark ? ([mark.start, mark.end] as [number, number]) : undefined);
  const where = { ...fade.where, span };
  if (as === VELOCITY) return plain("velocity.hairpin", { where, mode: "by", start, end, lift, ease });
  const { parts, notes } = where;
  return plain("lane.fade", {
    lane: as,
    where: { parts: partsOf(parts, notes), span },
    start,
    end,
    lift,
    ease,
  });
}

/** A controller belongs to whole parts: those whose notes were chosen. */
function partsOf(parts: Where["parts"], notes: Where["notes"]): number[] {
  const all = frontParts().filter(({ id }) => !parts || parts.includes(id));
  const touched = all.filter((part) => maskOf(part, notes ?? []).includes(1));
  return (touched.length ? touched : all).map(({ id }) => id);
}

/** What a group does at the end of the range from now on, in the open stroke too. */
export function limit(limit: Limit): void {
  set({ limit });
  const { shaping } = desk();
  if (!shaping || !("limit" in shaping.stroke)) return;
  preview({ ...shaping.stroke, limit });
  if (shaping.number !== null) void keep();
}
