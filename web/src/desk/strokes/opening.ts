/** Opening a new stroke on the desk. */
import type { Stroke } from "../../api/client";
import { lanesOf } from "../../api/strokes";
import { changeLane } from "../take/arranging";
import { close, preview } from "../take/shaping";
import { set } from "../take/state";

/** A new stroke on the desk; what was open is kept. The lanes on which it shows are opened, so that it is seen. */
export function begin(stroke: Stroke): void {
  close();
  for (const key of lanesOf(stroke)) changeLane(key, { open: true });
  preview(stroke);
}

/** The same, and Shape acts on its lane from then on. */
export function beginOn(lane: string, stroke: Stroke): void {
  set({ activeLane: lane });
  begin(stroke);
}
