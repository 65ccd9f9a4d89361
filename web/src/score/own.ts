/** Curves of notes as the browser holds them: of each note its own nodes, timed from its start. */
import type { Schemas } from "../api/client";
import { type Bent, type LaneNodes, nodesOf, reachOf } from "./lanes";

/** The kinds that a note can have begin so. */
const OF_NOTES = "note:";
export const NOTE_PITCH = `${OF_NOTES}pitch`;
export const NOTE_PRESSURE = `${OF_NOTES}pressure`;
export const NOTE_TIMBRE = `${OF_NOTES}timbre`;
export const NOTE_PAN = `${OF_NOTES}pan`;
/** Those that have names of their own, in the order in which a close-up shows them. */
export const OWN_KINDS = [NOTE_PITCH, NOTE_PRESSURE, NOTE_TIMBRE, NOTE_PAN];

/** Whether a lane is one of curves that notes have by themselves. */
export const isOfNotes = (key: string): boolean => key.startsWith(OF_NOTES);

const BESIDE: Readonly<Record<string, string>> = {
  [NOTE_PITCH]: "bend",
  [NOTE_PRESSURE]: "pressure",
  [NOTE_TIMBRE]: "cc:74",
  [NOTE_PAN]: "cc:10",
};

/** The lane on which curves of notes stand, and the other way round: of the one the other is seen. */
export function otherLevel(key: string): string {
  if (isOfNotes(key)) return BESIDE[key] ?? key.slice(OF_NOTES.length);
  return Object.entries(BESIDE).find(([, lane]) => lane === key)?.[0] ?? `${OF_NOTES}${key}`;
}

/** A lane of notes: it has no nodes of its own, but those of each note by its id. */
export function ownOf(lane: Schemas["OwnLane"]): LaneNodes {
  const all = nodesOf(lane);
  const notes = new Map<number, LaneNodes>();
  let first = 0;
  lane.ids.forEach((id, row) => {
    const after = first + lane.count[row]!;
    if (after > first) notes.set(id, cut(all, first, after));
    first = after;
  });
  return { ...blank(lane.key), lowest: all.lowest, highest: all.highest, notes };
}

const blank = (key: string): LaneNodes => ({
  key,
  tick: new Int32Array(),
  value: new Float32Array(),
  moves: new Uint8Array(),
  bent: new Map(),
  ...reachOf([]),
});

function cut(all: LaneNodes, first: number, after: number): LaneNodes {
  const [value, bent] = [all.value.subarray(first, after), new Map<number, Bent>()];
  for (let node = first; node < after; node++) {
    const way = all.bent.get(node);
    if (way) bent.set(node - first, way);
  }
  return {
    key: all.key,
    tick: all.tick.subarray(first, after),
    value,
    moves: all.moves.subarray(first, after),
    bent,
    ...reachOf(value),
  };
}

/** Lanes with what a preview gives some of the notes. */
export function withOwnChanges(
  lanes: ReadonlyMap<string, LaneNodes>,
  changed: readonly Schemas["OwnLane"][],
): ReadonlyMap<string, LaneNodes> {
  if (!changed.length) return lanes;
  const made = new Map(lanes);
  for (const change of changed) {
    const old = lanes.get(change.key);
    const fresh = ownOf(change);
    const notes = new Map(old?.notes);
    for (const id of change.ids) notes.delete(id);
    for (const [id, curve] of fresh.notes ?? []) notes.set(id, curve);
    made.set(change.key, {
      ...fresh,
      notes,
      lowest: Math.min(old?.lowest ?? fresh.lowest, fresh.lowest),
      highest: Math.max(old?.highest ?? fresh.highest, fresh.highest),
    });
  }
  return made;
}
