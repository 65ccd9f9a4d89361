/** Actions that depend on the take: its parts, its lanes, the grid. They have no keys and are found by search. */

import { type Family, type Gesture, gesturesOn } from "../../api/strokes";
import { BEND, SUSTAIN, slides, VELOCITY } from "../../score/lanes";
import { isOfNotes, NOTE_PITCH } from "../../score/own";
import { player } from "../../sound/player";
import { beginGesture } from "../strokes/begin";
import { changeLane, partName, showBehind, toFront } from "../take/arranging";
import { deleteStroke, switchStroke } from "../take/shaping";
import { desk, kindOf, lanesThere, leadForm, set } from "../take/state";
import type { Action } from "./keys";

const action = (group: Action["group"], does: string, run: () => void): Action => ({
  keys: [],
  group,
  does,
  run,
});

function onParts(): Action[] {
  const { score, hidden } = desk();
  return (score?.parts ?? []).flatMap((part) => {
    const name = partName(part);
    return [
      action("Choose", `${name} to the front`, () => toFront(part.id)),
      action("Choose", `${name} beside the others in front, or away`, () => toFront(part.id, true)),
      action("Look", `Rename ${name}`, () => set({ renaming: part.id })),
      action("Hear", `Mute ${name}, or not`, () => player.hush(part.id, "muted")),
      action("Hear", `Solo ${name}, or not`, () => player.hush(part.id, "soloed")),
      action("Look", `Show ${name} behind, or not`, () => showBehind(part.id, hidden.includes(part.id))),
    ];
  });
}

export function offers(): Action[] {
  const { grid, history } = desk();
  const strokes = history.strokes.flatMap(({ number, on, mark }) => [
    action(
      "Shape",
      `Switch ${on ? "off" : "on"}: ${mark.label}, ${mark.place}`,
      () => void switchStroke(number, !on),
    ),
    action("Shape", `Delete: ${mark.label}, ${mark.place}`, () => void deleteStroke(number)),
  ]);
  const values = ([1, 2, 4, 8, 16, 32, 64] as const).map((value) =>
    action("Choose", `Grid of ${value === 1 ? "whole notes" : `1/${value}`}`, () =>
      set({ grid: { ...grid, value } }),
    ),
  );
  const feels = (["straight", "dotted", "triplet"] as const).map((feel) =>
    action("Choose", `Grid ${feel}`, () => set({ grid: { ...grid, feel } })),
  );
  const lanes = lanesThere().map((kind) => ({
    ...action("Look", `Open the lane ${kind.title}`, () => changeLane(kind.key, { open: true })),
    words: kind.called,
  }));
  // A lane of notes, or one of a channel: the one that Shape acts on, or else the first that has anything.
  const active = desk().activeLane;
  const there = [...desk().layers.kept.lanes.keys()];
  const lane = active !== VELOCITY && !isOfNotes(active) ? active : there.find((key) => !isOfNotes(key));
  const own = isOfNotes(active) ? active : NOTE_PITCH;
  const begun = (family: Family, on: string, where = "") =>
    gesturesOn(family, slides(leadForm(on))).map((gesture) => offered(gesture, on, where));
  return [
    ...begun("velocity", VELOCITY),
    ...begun("notes", VELOCITY),
    ...begun("pedal", SUSTAIN),
    ...begun("bend", BEND),
    ...(lane === undefined ? [] : begun("lane", lane, ` on ${kindOf(lane).name}`)),
    ...begun("own", own, ` on ${kindOf(own).name}`),
    ...begun("ground", VELOCITY),
    ...begun("play", VELOCITY),
    ...RULES_BY_NAME,
    ...onParts(),
    ...strokes,
    ...values,
    ...feels,
    ...lanes,
  ];
}

/** Choosing by rule is a form of Shape: it is shown, and begun there. */
const RULES_BY_NAME: Action[] = [
  {
    keys: [],
    group: "Choose",
    does: "Choose notes by rule: pitch, beat, velocity, length, voice of a chord",
    words: "select filter every nth ghost quiet loud short long top bottom",
    run: () => {
      set({ activeLane: VELOCITY, panelOpen: true });
      requestAnimationFrame(() => document.querySelector<HTMLElement>("[aria-label='Rule']")?.focus());
    },
  },
];

/** A gesture as search finds it: begun on the lane that it is for. */
const offered = (gesture: Gesture, lane: string, where: string): Action => ({
  keys: [],
  group: "Shape",
  does: `${gesture.name}${where}: ${gesture.title.charAt(0).toLowerCase()}${gesture.title.slice(1)}`,
  words: gesture.words,
  run: () => {
    set({ activeLane: lane, panelOpen: true });
    beginGesture(gesture, lane);
  },
});
