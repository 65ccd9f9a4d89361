import { type Gesture, gesturesOf, gesturesOn } from "../../api/strokes";
import { VELOCITY } from "../../score/lanes";
import { GestureKeys } from "./GestureKeys";

/** All gestures on velocity, and chord into chord; each opens with its numbers before it is kept. */
export function Gestures({ hasSelection }: { hasSelection: boolean }) {
  const offered = (gestures: readonly Gesture[]) =>
    gestures.filter(({ for_selection }) => hasSelection || !for_selection);
  return (
    <div className="space-y-2 border-t border-rule pt-3">
      {!hasSelection && (
        <p className="text-[13px] text-faded">
          Nothing is chosen: these act on all notes of the parts in front.
        </p>
      )}
      <GestureKeys
        gestures={offered([...gesturesOn(VELOCITY), ...gesturesOf("note.glide")])}
        lane={VELOCITY}
      />
      <p className="pt-1 text-[13px] text-faded">The notes themselves</p>
      <GestureKeys gestures={offered(gesturesOn("notes"))} lane={VELOCITY} />
    </div>
  );
}
