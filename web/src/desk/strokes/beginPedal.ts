/** Beginning strokes on pedals: over the span, over the chosen notes, or over all. */
import type { Stroke, Where } from "../../api/client";
import { SUSTAIN } from "../../score/lanes";
import { changeLane } from "../take/arranging";
import { chosenOfLead, onLead } from "../take/choosing";
import { letGo, preview } from "../take/shaping";
import { desk, set } from "../take/state";
import { plain } from "./entry";

type Foot = "pedal.switch" | "pedal.depth";

/** The span where one is chosen; otherwise the chosen notes. */
const where = (): Where => (desk().span ? onLead(desk().span) : chosenOfLead());

function begin(lane: string, stroke: Stroke): void {
  letGo();
  set({ activeLane: lane });
  changeLane(lane, { open: true });
  preview(stroke);
}

/** Press or lift: there has to be a place. */
export function press(lane: string, kind: "pedal.press" | "pedal.lift"): void {
  const { span, chosenCount } = desk();
  if (!span && !chosenCount) {
    set({ notice: { text: "Choose a span or some notes: the pedal is pressed there." } });
    return;
  }
  begin(lane, plain(kind, { lane, where: where() }));
}

export function beginFoot(lane: string, kind: Foot): void {
  begin(lane, plain(kind, { lane, where: onLead(desk().span) }));
}

/** What the foot does for the notes: those of the span, the chosen ones, or all of the leading part. */
export function beginOnNotes(stroke: Stroke): void {
  begin(SUSTAIN, { ...stroke, where: where() } as Stroke);
}
