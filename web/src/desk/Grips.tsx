import type { KeyboardEvent, PointerEvent, RefObject } from "react";
import { GUTTER, xOf, yOfVelocity } from "./camera";
import { type HairpinGrip, moveGrip, releaseGrip } from "./gestures";
import { letGo } from "./shaping";
import { useDesk } from "./state";

const NAMES: Record<HairpinGrip, string> = {
  start: "Where the hairpin starts",
  lift: "Lift of the hairpin",
  end: "Where the hairpin ends",
};

/** The grips of an open hairpin: real controls on top of the lane, for pointer and keyboard alike. */
export function Grips({ lane }: { lane: RefObject<HTMLCanvasElement | null> }) {
  const camera = useDesk((state) => state.camera);
  const shaping = useDesk((state) => state.shaping);
  const line = shaping?.mark?.line;
  if (shaping?.stroke.kind !== "velocity.hairpin" || !line || line.length < 2) return null;
  const { stroke } = shaping;
  const [first, last] = [line[0], line[line.length - 1]];
  const middleTick = (first[0] + last[0]) / 2;
  const middle = line.length % 2 ? line[(line.length - 1) / 2][1] : (first[1] + last[1]) / 2;
  const places: Record<HairpinGrip, [number, number]> = {
    start: [first[0], first[1]],
    lift: [middleTick, middle],
    end: [last[0], last[1]],
  };
  const values: Record<HairpinGrip, number> = {
    start: stroke.start,
    lift: stroke.lift ?? 0,
    end: stroke.end,
  };
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden">
      {(Object.keys(places) as HairpinGrip[]).map((grip) => {
        const [tick, value] = places[grip];
        const x = xOf(camera, tick);
        if (x < GUTTER - 8) return null;
        return (
          <GripHandle
            key={grip}
            grip={grip}
            value={values[grip]}
            lane={lane}
            style={{ left: x, top: yOfVelocity(camera, value) }}
          />
        );
      })}
    </div>
  );
}

interface HandleProps {
  grip: HairpinGrip;
  value: number;
  lane: RefObject<HTMLCanvasElement | null>;
  style: { left: number; top: number };
}

function GripHandle({ grip, value, lane, style }: HandleProps) {
  const drag = (event: PointerEvent<HTMLElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const box = lane.current?.getBoundingClientRect();
    if (box) moveGrip(grip, { x: event.clientX - box.left, y: event.clientY - box.top });
  };
  const press = (event: KeyboardEvent) => {
    const by = { ArrowUp: 1, ArrowDown: -1, PageUp: 10, PageDown: -10 }[event.key];
    if (event.key === "Escape") letGo();
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    moveGrip(grip, { steps: by });
  };
  const isLift = grip === "lift";
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={NAMES[grip]}
      aria-orientation="vertical"
      aria-valuenow={value}
      aria-valuemin={isLift ? -1 : 0}
      aria-valuemax={isLift ? 1 : 127}
      data-grip={grip}
      style={style}
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={drag}
      onPointerUp={() => void releaseGrip()}
      onKeyDown={press}
      onKeyUp={(event) => event.key.startsWith("Arrow") && void releaseGrip()}
      className={`pointer-events-auto absolute -mt-2.5 -ml-2.5 h-5 w-5 touch-none border-2 border-accent bg-sheet ${
        isLift ? "rotate-45 cursor-ns-resize rounded-[3px] scale-75" : "cursor-move rounded-full"
      } hover:bg-accent-wash`}
    />
  );
}
