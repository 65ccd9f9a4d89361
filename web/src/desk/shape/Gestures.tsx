/** All gestures that fit the lane that Shape acts on. */
import { type Gesture, gesturesOf, gesturesOn } from "../../api/strokes";
import { BEND, formOf, isPedal, slides, VELOCITY } from "../../score/lanes";
import { isOfNotes } from "../../score/own";
import { kindOf, leadPart, useDesk } from "../take/state";
import { GestureKeys } from "./GestureKeys";

export function Gestures() {
  const lane = useDesk((state) => state.activeLane);
  const kind = useDesk((state) => kindOf(lane, state));
  const head = useDesk((state) => leadPart(state)?.lanes.find((one) => one.key === lane));
  return <GestureKeys gestures={fitting(lane, isPedal(kind), slides(formOf(kind, head)))} lane={lane} />;
}

function fitting(lane: string, isFoot: boolean, sliding: boolean): Gesture[] {
  if (lane === VELOCITY)
    return [
      ...gesturesOn("velocity"),
      ...gesturesOn("notes"),
      ...gesturesOf("note.glide"),
      ...gesturesOn("play"),
    ];
  const onLane = gesturesOn("lane", sliding);
  if (isOfNotes(lane)) return [...gesturesOn("own"), ...onLane.filter(({ on_notes }) => on_notes)];
  return [
    ...(lane === BEND ? gesturesOn("bend") : []),
    ...(isFoot ? gesturesOn("pedal", sliding) : []),
    ...onLane,
  ];
}
