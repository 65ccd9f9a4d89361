/** Beginning strokes on pedals: over the span, over the chosen notes, or over all. */
import type { Where } from "../../api/client";
import { SUSTAIN } from "../../score/lanes";
import { chosenOfLead, onLead } from "../take/choosing";
import { desk, set } from "../take/state";
import { beginOn } from "./beginLane";
import { type Kind, plain } from "./entry";

type Foot = Extract<Kind, "pedal.switch" | "pedal.depth">;
type OnNotes = Extract<Kind, "pedal.to_lengths" | "pedal.from_lengths" | "pedal.legato">;

/** The span where one is chosen; otherwise the chosen notes. */
const where = (): Where => (desk().span ? onLead(desk().span) : chosenOfLead());

/** Press or lift: there has to be a place. */
export function press(lane: string, kind: "pedal.press" | "pedal.lift"): void {
  const { span, chosenCount } = desk();
  if (!span && !chosenCount) {
    set({ notice: { text: "Choose a span or some notes: the pedal is pressed there." } });
    return;
  }
  beginOn(lane, plain(kind, { lane, where: where() }));
}

export function beginFoot(lane: string, kind: Foot): void {
  beginOn(lane, plain(kind, { lane, where: onLead(desk().span) }));
}

/** What the foot does for the notes: those of the span, the chosen ones, or all of the leading part. */
export function beginOnNotes(kind: OnNotes): void {
  beginOn(SUSTAIN, plain(kind, { where: where() }));
}
