/** The voices of chord into chord, taken by their grips on the ribbons. */
import { idOfRow } from "../../score/score";
import { type Thread, threadsOf } from "../../score/threads";
import { between } from "../../ui/numbers";
import { tickOf } from "../page/camera";
import { MOST_CROWDED, threadGrips } from "../page/draw/threads";
import { hung, leavingAt, ownWay, thereAt } from "../strokes/beginOwn";
import { keep, preview } from "../take/shaping";
import { desk } from "../take/state";
import type { Grip } from "./grip";
import { noteAt } from "./picking";

/**
 * A voice of chord into chord, taken by one of its grips: from then on it goes in its own way. Its ring hangs it on
 * another note.
 */
export function threadGrip(x: number, y: number): Grip | null {
  const { shaping } = desk();
  const near = nearestGrip(x, y);
  if (!near || shaping?.stroke.kind !== "note.glide") return null;
  const { stroke } = shaping;
  const { thread, grip } = near;
  const done = () => {
    if (desk().shaping?.number != null) void keep();
  };
  if (grip === "hangs") {
    let onto: number | null = null;
    return {
      move(toX, toY) {
        const hit = noteAt("notes", toX + 3, toY);
        const id = hit ? idOfRow(hit.part, hit.note) : null;
        if (id === null || id === onto || id === thread.one) return;
        onto = id;
        // From how they hung when it was taken: what it passes on its way keeps what it had.
        preview(hung(stroke, shaping.mark, thread, id));
      },
      done,
    };
  }
  const tickAt = (toX: number) => Math.round(tickOf(desk().camera, toX));
  const rises = thread.reached >= thread.pitch ? 1 : -1;
  return {
    move(toX, toY) {
      if (grip === "leaves") preview(leavingAt(stroke, thread, tickAt(toX)));
      else if (grip === "arrives") preview(thereAt(stroke, thread, tickAt(toX)));
      else {
        const lift = between(thread.lift + (rises * (toY - y)) / LIFT_PIXELS, -1, 1);
        preview(ownWay(stroke, thread, { lift }));
      }
    },
    done,
  };
}

/** The grip of a voice that is next to a place; where it is there rather than what it hangs on, where both are. */
function nearestGrip(x: number, y: number) {
  const { camera, shaping } = desk();
  let best: { thread: Thread; grip: keyof typeof GRIPS } | null = null;
  let nearest = THREAD_REACH;
  for (const thread of threadsOf(shaping?.mark)) {
    const grips = threadGrips(camera, thread);
    const crowded = grips.arrives.x - grips.leaves.x <= MOST_CROWDED;
    for (const grip of Object.keys(GRIPS) as (keyof typeof GRIPS)[]) {
      const place = grips[grip]!;
      const away = Math.hypot(place.x - x, place.y - y) + (grip === "lift" && crowded ? THREAD_REACH : 0);
      if (away >= nearest) continue;
      nearest = away;
      best = { thread, grip };
    }
  }
  return best;
}

const GRIPS = {
  hangs: "drag to another note: it goes there instead",
  leaves: "drag: this voice leaves earlier or later",
  arrives: "drag: this voice takes a longer or a shorter time",
  lift: "drag up or down: fast, then slow, or slow, then fast",
};
const THREAD_REACH = 10;
/** So far up or down is all of a voice's lift. */
const LIFT_PIXELS = 80;

/** What a press on a voice would do there, in words; empty where there is none. */
export function threadHint(x: number, y: number): string {
  const near = nearestGrip(x, y);
  return near ? GRIPS[near.grip] : "";
}
