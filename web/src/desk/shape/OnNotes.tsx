import { VELOCITY } from "../../score/lanes";
import { ENTRIES, gesturesOn } from "../strokes/entries";
import type { Gesture } from "../strokes/entry";
import { GestureKeys } from "./GestureKeys";

/** All gestures on velocity, and chord into chord; each opens with its numbers before it is kept. */
export function Gestures({ hasSelection }: { hasSelection: boolean }) {
  const offered = (gestures: readonly Gesture[]) =>
    gestures.filter(({ forSelection }) => hasSelection || !forSelection);
  return (
    <div className="space-y-2 border-t border-rule pt-3">
      {!hasSelection && (
        <p className="text-[13px] text-faded">
          Nothing is chosen: these act on all notes of the parts in front.
        </p>
      )}
      <GestureKeys
        gestures={offered([...gesturesOn(VELOCITY), ...ENTRIES["note.glide"].gestures])}
        lane={VELOCITY}
      />
      <p className="pt-1 text-[13px] text-faded">The notes themselves</p>
      <GestureKeys gestures={offered(gesturesOn("notes"))} lane={VELOCITY} />
    </div>
  );
}
