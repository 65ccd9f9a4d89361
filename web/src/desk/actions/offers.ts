/** Actions that depend on the take: its parts, its lanes, the grid. They have no keys and are found by search. */

import { type Gesture, gesturesOn } from "../../api/strokes";
import { BEND, SUSTAIN, slides, VELOCITY } from "../../score/lanes";
import { player } from "../../sound/player";
import { beginGesture } from "../strokes/begin";
import { changeLane, partName, showBehind, toFront } from "../take/arranging";
import { deleteStroke, switchStroke } from "../take/shaping";
import { desk, kindOf, lanesThere, leadForm, set } from "../take/state";
import type { Action } from "./keys";

export function offers(): Action[] {
  const { score, grid, hidden, history } = desk();
  const action = (group: Action["group"], does: string, run: () => void): Action => ({
    keys: [],
    group,
    does,
    run,
  });
  const parts = (score?.parts ?? []).flatMap((part) => {
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
  const lanes = lanesThere().map(({ key, title }) =>
    action("Look", `Open the lane ${title}`, () => changeLane(key, { open: true })),
  );
  const onNotes = gesturesOn(VELOCITY).map((gesture) => offered(gesture, VELOCITY, ""));
  const onThem = gesturesOn("notes").map((gesture) => offered(gesture, VELOCITY, ""));
  const onPedal = gesturesOn("pedal", slides(leadForm(SUSTAIN))).map((gesture) =>
    offered(gesture, SUSTAIN, ""),
  );
  const onWheel = gesturesOn("bend").map((gesture) => offered(gesture, BEND, ""));
  const lane =
    desk().activeLane === VELOCITY ? desk().layers.kept.lanes.keys().next().value : desk().activeLane;
  const onLane =
    lane === undefined
      ? []
      : gesturesOn("lane", slides(leadForm(lane))).map((gesture) =>
          offered(gesture, lane, ` on ${kindOf(lane).name}`),
        );
  return [
    ...onNotes,
    ...onThem,
    ...onPedal,
    ...onWheel,
    ...onLane,
    ...parts,
    ...strokes,
    ...values,
    ...feels,
    ...lanes,
  ];
}

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
