import type { LaneKind } from "../../api/client";
import { lanesOf, type Of, plain } from "../../api/strokes";
import { type LaneNodes, valueAt } from "../../score/lanes";
import { firstAbove } from "../../score/score";
import { between, rounded } from "../../ui/numbers";
import { type Camera, GUTTER, tickOf, xOf } from "../page/camera";
import type { Scale } from "../page/scale";
import { onLead } from "../take/choosing";
import { keep, preview } from "../take/shaping";
import { desk, keptLane, useDesk, useLevels } from "../take/state";
import { apart, StaveGrip } from "./StaveGrip";

type Reshape = Of<"lane.reshape">;

/** A frame that changes nothing yet. */
const neutral = (lane: string, span: [number, number] | null): Required<Reshape> =>
  plain("lane.reshape", { lane, where: onLead(span), limit: desk().limit }) as Required<Reshape>;

type Name = "level" | "depth" | "pivot" | "left" | "right" | "bow" | "drift" | "length";

const NAMES: Record<Name, string> = {
  level: "Level",
  depth: "Depth",
  pivot: "Pivot of the depth",
  left: "Lean, left end",
  right: "Lean, right end",
  bow: "Bow",
  drift: "Drift",
  length: "Length",
};

/** What a lane holds within a span as it is kept: its lowest, mean and highest value. */
function extent(
  nodes: LaneNodes,
  span: [number, number],
): { low: number; mean: number; high: number } | null {
  const from = firstAbove(nodes.tick, span[0] - 1);
  const to = firstAbove(nodes.tick, span[1] - 1);
  const values = [...nodes.value.subarray(from, to)];
  const entering = valueAt(nodes, span[0]);
  if (entering !== null) values.push(entering);
  if (!values.length) return null;
  let [low, high, sum] = [values[0]!, values[0]!, 0];
  for (const value of values) {
    low = Math.min(low, value);
    high = Math.max(high, value);
    sum += value;
  }
  return { low, mean: sum / values.length, high };
}

/** The frame round the span of an open lane, with its grips: real controls, for pointer and keyboard alike. */
export function FrameGrips({ kind, height }: { kind: LaneKind; height: number }) {
  const laneKey = kind.key;
  const camera = useDesk((state) => state.camera);
  const shaping = useDesk((state) => state.shaping);
  const span = useDesk((state) => state.span);
  const activeLane = useDesk((state) => state.activeLane);
  const drawing = useDesk((state) => state.drawing);
  const nodes = useDesk((state) => keptLane(laneKey, state));
  const scale = useLevels(kind, height);
  const open =
    shaping?.stroke.kind === "lane.reshape" && lanesOf(shaping.stroke).includes(laneKey)
      ? shaping.stroke
      : null;
  if (
    !nodes ||
    (shaping && !open) ||
    (!open && (drawing || activeLane !== laneKey || !span || span[1] - span[0] < 2))
  )
    return null;
  const stroke = open ?? neutral(laneKey, span);
  const within = stroke.where?.span ?? [nodes.tick[0], nodes.tick[nodes.tick.length - 1]! + 1];
  const reach = extent(nodes, within as [number, number]);
  if (!reach) return null;
  return (
    <Frame
      stroke={stroke}
      span={within as [number, number]}
      reach={reach}
      camera={camera}
      kind={kind}
      scale={scale}
    />
  );
}

interface FrameProps {
  stroke: Reshape;
  span: [number, number];
  reach: { low: number; mean: number; high: number };
  camera: Camera;
  kind: LaneKind;
  scale: Scale;
}

/** Where what is framed has come to: the top, the bottom and the middle of its values, and its ends on the page. */
function placed({ stroke, span, reach, camera, scale }: FrameProps) {
  const { yOf } = scale;
  const pivot =
    typeof stroke.pivot === "number"
      ? stroke.pivot
      : { mean: reach.mean, min: reach.low, max: reach.high }[stroke.pivot];
  const moved = (value: number) => pivot + stroke.depth * (value + stroke.level - pivot);
  const [top, bottom] = [moved(reach.high), moved(reach.low)];
  const middle = (top + bottom) / 2;
  return {
    pivot,
    top,
    middle,
    x0: xOf(camera, span[0]),
    x1: xOf(camera, span[0] + (span[1] - span[0]) * stroke.length),
    yTop: Math.min(yOf(top), yOf(middle) - 14),
    yBottom: Math.max(yOf(bottom), yOf(middle) + 14),
  };
}

interface FrameGrip {
  x: number;
  y: number;
  value: number;
  to: (x: number, y: number) => void;
  by: (steps: number) => void;
}

const change = (stroke: Reshape, fields: Partial<Reshape>) => preview({ ...stroke, ...fields });

/** The grips that move what is framed up and down, or what it is scaled about. */
function levelGrips(props: FrameProps, at: ReturnType<typeof placed>) {
  const { stroke, reach, kind, scale } = props;
  const { yOf, valueAt } = scale;
  const { decimals, high: most } = kind;
  const { pivot, top, middle, x0, x1, yTop } = at;
  const step = decimals ? 0.1 : 1;
  const level: FrameGrip = {
    x: (x0 + x1) / 2,
    y: yOf(middle),
    value: stroke.level,
    to: (_x, y) =>
      change(stroke, {
        level: rounded(between(valueAt(y) - (reach.high + reach.low) / 2, -most, most), decimals),
      }),
    by: (steps) => change(stroke, { level: rounded(between(stroke.level + steps * step, -most, most)) }),
  };
  const depth: FrameGrip = {
    x: x0 + (x1 - x0) * 0.25,
    y: yTop,
    value: stroke.depth,
    to: (_x, y) => {
      const whole = reach.high + stroke.level - pivot;
      const from = Math.abs(whole) < 2 ? Math.max(reach.high - reach.low, 8) : whole;
      change(stroke, { depth: rounded(between((valueAt(y) - pivot) / from, 0, 16)) });
    },
    by: (steps) => change(stroke, { depth: rounded(between(stroke.depth + steps * 0.05, 0, 16)) }),
  };
  const pivotGrip: FrameGrip = {
    x: Math.max(x0, GUTTER) + 12,
    y: yOf(pivot),
    value: rounded(pivot),
    to: (_x, y) => change(stroke, { pivot: rounded(between(valueAt(y), -most, most), decimals) }),
    by: (steps) => change(stroke, { pivot: rounded(between(pivot + steps * step, -most, most)) }),
  };
  const bow: FrameGrip = {
    x: x0 + (x1 - x0) * 0.75,
    y: yOf(top + stroke.bow * 0.75),
    value: stroke.bow,
    to: (_x, y) =>
      change(stroke, { bow: rounded(between((valueAt(y) - top) / 0.75, -most, most), decimals) }),
    by: (steps) => change(stroke, { bow: rounded(between(stroke.bow + steps * step, -most, most)) }),
  };
  return { level, depth, pivot: pivotGrip, bow };
}

/** The grips of the ends: how each leans, and where in time what is framed goes. */
function endGrips({ stroke, span, camera, scale }: FrameProps, at: ReturnType<typeof placed>) {
  const { yOf, valueAt } = scale;
  const { middle, x0, x1, yBottom } = at;
  const leaning = (end: 0 | 1): FrameGrip => {
    const lean = (factor: number) =>
      change(stroke, { lean: end ? [stroke.lean[0], factor] : [factor, stroke.lean[1]] });
    return {
      x: end ? x1 : x0,
      y: yOf(middle * stroke.lean[end]),
      value: stroke.lean[end],
      to: (_x, y) => lean(leanTo(valueAt(y), middle)),
      by: (steps) => lean(rounded(between(stroke.lean[end] + steps * 0.05, 0, 16))),
    };
  };
  const drift: FrameGrip = {
    x: x0 + (x1 - x0) * (0.5 + 0.45 * stroke.drift),
    y: yBottom,
    value: stroke.drift,
    to: (x) =>
      change(stroke, { drift: rounded(between(((x - x0) / Math.max(x1 - x0, 1) - 0.5) / 0.45, -1, 1)) }),
    by: (steps) => change(stroke, { drift: rounded(between(stroke.drift + steps * 0.05, -1, 1)) }),
  };
  const length: FrameGrip = {
    x: x1,
    y: yBottom,
    value: stroke.length,
    to: (x) => {
      const wanted = (tickOf(camera, x) - span[0]) / (span[1] - span[0]);
      change(stroke, { length: rounded(between(wanted, 0.05, 16)) });
    },
    by: (steps) => change(stroke, { length: rounded(between(stroke.length + steps * 0.05, 0.05, 16)) }),
  };
  return { left: leaning(0), right: leaning(1), drift, length };
}

/** Ends and edges first: what lies between can give way. */
const IN_ORDER: Name[] = ["left", "right", "level", "depth", "bow", "drift", "length", "pivot"];

function Frame(props: FrameProps) {
  const at = placed(props);
  const { x0, x1, yTop, yBottom } = at;
  const grips: Record<Name, FrameGrip> = { ...levelGrips(props, at), ...endGrips(props, at) };
  return (
    <div className="pointer-events-none absolute inset-0 overflow-hidden" data-testid="frame">
      <span
        aria-hidden
        className="absolute border border-accent border-dashed"
        style={{ left: x0, width: Math.max(x1 - x0, 1), top: yTop, height: Math.max(yBottom - yTop, 1) }}
      />
      <span
        aria-hidden
        className="absolute h-px bg-accent opacity-50"
        style={{ left: x0, width: Math.max(x1 - x0, 1), top: props.scale.yOf(at.pivot) }}
      />
      {apart(IN_ORDER.map((name) => ({ name, left: grips[name].x, top: grips[name].y }))).map((place) => {
        const { name } = place;
        const { value, to, by } = grips[name];
        const sideways = name === "drift" || name === "length";
        if (place.left < GUTTER - 6) return null;
        return (
          <StaveGrip
            key={name}
            name={name}
            label={NAMES[name]}
            title={`${NAMES[name]}: ${value}`}
            value={value}
            sideways={sideways}
            place={place}
            className={`grid place-items-center rounded border text-accent ${sideways ? "cursor-ew-resize" : "cursor-ns-resize"}`}
            onMove={to}
            onStep={by}
            onRelease={() => void keep()}
          >
            <svg viewBox="0 0 14 14" className="h-3 w-3" aria-hidden>
              <path d={SIGNS[name]} fill="none" stroke="currentColor" strokeWidth="1.4" />
            </svg>
          </StaveGrip>
        );
      })}
    </div>
  );
}

/** The factor that brings the middle to a value; where the middle is nothing, no factor can. */
function leanTo(value: number, middle: number): number {
  return Math.abs(middle) < 0.5 ? 1 : rounded(between(value / middle, 0, 16));
}

const SIGNS: Record<Name, string> = {
  level: "M7 1v12M4 4l3-3 3 3M4 10l3 3 3-3",
  depth: "M2 12h10M7 10V3M4 6l3-3 3 3",
  pivot: "M1 7h12M4 4l-3 3 3 3",
  left: "M2 2v10M2 11L12 4",
  right: "M12 2v10M12 11L2 4",
  bow: "M1 11C4 2 10 2 13 11",
  drift: "M1 7h12M4 4L1 7l3 3M10 4l3 3-3 3",
  length: "M2 2v10M5 7h8M10 4l3 3-3 3",
};
