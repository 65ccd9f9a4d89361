import type { Stroke } from "../../api/client";
import { limitsOf } from "../../api/strokes";
import { between } from "../../ui/numbers";
import { moveGrip } from "../hand/lineGrips";
import { GUTTER, xOf } from "../page/camera";
import type { Scale } from "../page/scale";
import { keep } from "../take/shaping";
import { useDesk } from "../take/state";
import { apart, StaveGrip } from "./StaveGrip";

interface Props {
  /** Whether the open stroke is one that is shaped on this stave, and where its values lie. */
  shapes: (stroke: Stroke) => boolean;
  scale: Scale;
}

/** The grips of an open stroke, where the core has put them: real controls, for pointer and keyboard alike. */
export function Grips({ shapes, scale }: Props) {
  const camera = useDesk((state) => state.camera);
  const shaping = useDesk((state) => state.shaping);
  const stroke = shaping?.stroke;
  if (!stroke || !shapes(stroke)) return null;
  const placed = (shaping.mark?.grips ?? []).map((grip) => ({
    grip,
    left: xOf(camera, grip.tick),
    top: scale.yOf(between(grip.value, scale.low, scale.high)),
  }));
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {apart(placed).map(({ grip, left, top }) => {
        if (left < GUTTER - 8) return null;
        const forms = grip.scale === 0;
        const limits = limitsOf(stroke.kind, grip.field);
        return (
          <StaveGrip
            key={grip.field}
            name={grip.field}
            label={grip.name}
            value={grip.number}
            range={[Math.max(limits[0], scale.low), Math.min(limits[1], scale.high)]}
            place={{ left, top }}
            className={`border-2 ${forms ? "rotate-45 cursor-ns-resize rounded-[3px] scale-75" : "cursor-move rounded-full"}`}
            onMove={(x, y, free) => moveGrip(grip, { x, value: scale.valueAt(y), free, scale })}
            onStep={(steps) => moveGrip(grip, { steps })}
            onRelease={() => void keep()}
          />
        );
      })}
    </div>
  );
}
