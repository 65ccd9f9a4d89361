import { placeText } from "../../score/score";
import { GUTTER, rightTick } from "../page/camera";
import { keptLane, look, useDesk } from "../take/state";

/** Where the data of a lane lie that has none in sight; a click goes there. */
export function OutOfSight({ laneKey }: { laneKey: string }) {
  const score = useDesk((state) => state.score);
  const before = useDesk((state) => {
    const ticks = keptLane(laneKey, state)?.tick;
    const last = ticks?.[ticks.length - 1];
    return last !== undefined && last < state.camera.left ? last : null;
  });
  const after = useDesk((state) => {
    const first = keptLane(laneKey, state)?.tick[0];
    return first !== undefined && first > rightTick(state.camera) ? first : null;
  });
  const tick = before ?? after;
  if (!score || tick === null) return null;
  const place = placeText(score, tick);
  return (
    <button
      type="button"
      onClick={() =>
        look((camera) => ({ ...camera, left: tick - (camera.width - GUTTER) / camera.perTick / 2 }))
      }
      style={before === null ? { right: 8 } : { left: GUTTER + 8 }}
      className="absolute bottom-1 z-10 h-6 rounded-full border border-rule-strong bg-sheet px-2 text-[12px] hover:border-ink"
    >
      {before === null ? `Begins at ${place} ›` : `‹ Last at ${place}`}
    </button>
  );
}
