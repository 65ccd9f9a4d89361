import type { Stroke } from "../../api/client";
import { heightAt } from "../../ui/numbers";
import { type LineGrip, liftTick, moveGrip } from "../hand/velocityGestures";
import { GUTTER, xOf } from "../page/camera";
import type { Scale } from "../page/scale";
import { keep } from "../take/shaping";
import { useDesk } from "../take/state";
import { StaveGrip } from "./StaveGrip";

const NAMES: Record<LineGrip, string> = {
  start: "Where the line starts",
  lift: "Lift of the line",
  peak: "Peak of the line",
  end: "Where the line ends",
};

interface Props {
  /** Whether the open stroke is one that is shaped on this stave, and where its values lie. */
  shapes: (stroke: Stroke) => boolean;
  scale: Scale;
}

/** The grips of an open line: real controls on top of the stave, for pointer and keyboard alike. */
export function Grips({ shapes, scale }: Props) {
  const camera = useDesk((state) => state.camera);
  const shaping = useDesk((state) => state.shaping);
  const line = shaping?.mark?.line;
  const stroke = shaping?.stroke;
  if (!stroke || !line || line.length < 2 || !shapes(stroke)) return null;
  if (stroke.kind !== "velocity.hairpin" && stroke.kind !== "lane.fade") return null;
  const peak = stroke.kind === "velocity.hairpin" ? (stroke.peak ?? null) : null;
  const top = peak === null ? null : line[(line.length - 1) / 2];
  const [first, last] = [line[0], line[line.length - 1]];
  const middle = liftTick(line, stroke) ?? 0;
  const grips: { grip: LineGrip; tick: number; value: number; number: number }[] = [
    { grip: "start", tick: first[0], value: first[1], number: stroke.start },
    { grip: "lift", tick: middle, value: heightAt(line, middle), number: stroke.lift ?? 0 },
    ...(top && peak !== null ? [{ grip: "peak" as const, tick: top[0], value: top[1], number: peak }] : []),
    { grip: "end", tick: last[0], value: last[1], number: stroke.end },
  ];
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {grips.map(({ grip, tick, value, number }) => {
        const x = xOf(camera, tick);
        if (x < GUTTER - 8) return null;
        return (
          <StaveGrip
            key={grip}
            name={grip}
            label={NAMES[grip]}
            value={number}
            range={grip === "lift" ? [-1, 1] : [0, scale.high]}
            place={{ left: x, top: scale.yOf(value) }}
            className={`border-2 ${grip === "lift" ? "rotate-45 cursor-ns-resize rounded-[3px] scale-75" : "cursor-move rounded-full"}`}
            onMove={(x, y) => moveGrip(grip, { x, value: scale.valueAt(y) })}
            onStep={(steps) => moveGrip(grip, { steps })}
            onRelease={() => void keep()}
          />
        );
      })}
    </div>
  );
}
