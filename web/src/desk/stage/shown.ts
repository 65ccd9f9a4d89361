/** The place that an address asks for: a part, a lane, bars. Each is left as it is where it is not named. */
import { tickOfPlace } from "../../score/score";
import { showing } from "../page/camera";
import { changeLane, partName, toFront } from "../take/arranging";
import { chooseSpan } from "../take/choosing";
import { desk, look, set } from "../take/state";
import { bringToSight } from "./laneSight";

const VELOCITY = "velocity";

export function showPlace(search: string): void {
  const { score } = desk();
  const asked = new URLSearchParams(search);
  if (!score) return;
  const part = score.parts.findIndex((one) => partName(one) === asked.get("part"));
  if (part >= 0) toFront(part);
  const lane = asked.get("lane");
  if (lane) {
    set({ activeLane: lane });
    if (lane !== VELOCITY) {
      changeLane(lane, { open: true });
      bringToSight(lane);
    }
  }
  const bars = /^(\d+)-(\d+)$/.exec(asked.get("bars") ?? "");
  if (!bars) return;
  const span: [number, number] = [
    tickOfPlace(score, Number(bars[1]), 1),
    Math.min(tickOfPlace(score, Number(bars[2]) + 1, 1), score.end),
  ];
  if (span[0] >= span[1]) return;
  chooseSpan(span);
  const margin = (span[1] - span[0]) / 2;
  look((camera, whole) => showing(camera, whole, Math.max(span[0] - margin, 0), span[1] + margin));
}
