/** The grips of an open stroke: what each moves is said by the core, and so is how. */

import type { Schemas, Stroke } from "../../api/client";
import { lanesOf, limitsOf } from "../../api/strokes";
import { BEND } from "../../score/lanes";
import { between, rounded } from "../../ui/numbers";
import { GUTTER } from "../page/camera";
import type { Scale } from "../page/scale";
import { preview } from "../take/shaping";
import { desk, kindOf } from "../take/state";
import { drawnTo } from "./picking";
import { reach } from "./reaching";

type LineGrip = Omit<Required<Schemas["Grip"]>, "time"> & Pick<Schemas["Grip"], "time">;

/** Of what is a time a key moves an eighth of a beat, or of its whole. */
const TIME_STEP = 0.125;
/** The form of a line goes from one end of its range to the other in so many steps of a key. */
const FORM_STEPS = 40;

/** A grip follows the pointer, or is moved by `steps` from the keyboard. */
export function moveGrip(
  grip: LineGrip,
  to: { x: number; value: number; free: boolean; scale: Scale } | { steps: number },
): void {
  const stroke = desk().shaping?.stroke;
  if (!stroke) return;
  const { field, number, scale, along, base, time } = grip;
  const isTime = time?.field === field;
  const [low, high] = limitsOf(stroke.kind, field);
  const held = (value: number) => rounded(between(value, low, high));
  if ("steps" in to) {
    // A line is lifted by what makes its form smaller: sooner there.
    const formed = (-to.steps * (high - low)) / FORM_STEPS;
    const by =
      scale === 0 ? formed : to.steps * (isTime ? TIME_STEP * Math.sign(time.unit) : stepOf(stroke) / scale);
    // What a key has come to may be further than what the core has told of it by now.
    const now = (stroke as unknown as Record<string, unknown>)[field];
    preview({ ...stroke, [field]: held((typeof now === "number" ? now : number) + by) } as Stroke);
  } else if (scale === 0) preview(stroke, [grip.tick, to.value]);
  else {
    const { tick } = drawnTo(Math.max(to.x, GUTTER), false);
    const drawn = isBend(stroke) && scale === 1 && !to.free ? reach(grip.tick, to.value, to.scale) : to.value;
    const value = held(rounded(drawn - base, scale === 1 ? decimalsOf(stroke) : 2) / scale);
    preview({
      ...stroke,
      ...(isTime ? {} : { [field]: value }),
      ...(time ? { [time.field]: timeAt(stroke, time, tick) } : {}),
      ...drawnAlong(stroke, along, tick),
    } as Stroke);
  }
}

const decimalsOf = (stroke: Stroke) => {
  const [lane] = lanesOf(stroke);
  return lane ? kindOf(lane).decimals : 0;
};

const isBend = (stroke: Stroke) => lanesOf(stroke).includes(BEND);

/** Of what has decimals a key moves a tenth. */
const stepOf = (stroke: Stroke) => (decimalsOf(stroke) ? 0.1 : 1);

/** A number that is a time, where its grip is dragged to. */
function timeAt(stroke: Stroke, { field, origin, unit }: Schemas["Time"], tick: number): number {
  const [low, high] = limitsOf(stroke.kind, field);
  return between(rounded((tick - origin) / unit, 3), Math.max(low, 0), high);
}

/** What goes with a grip that is dragged to another time. */
function drawnAlong(stroke: Stroke, along: LineGrip["along"], tick: number): object {
  const span = stroke.where?.span;
  if (along === "peak") {
    const grips = desk().shaping?.mark?.grips ?? [];
    const [from, until] = [grips[0]!.tick, grips[grips.length - 1]!.tick];
    return { peak_at: rounded(between((tick - from) / Math.max(until - from, 1), 0, 1)) };
  }
  if (!span || !along) return {};
  // The end of a span is not part of it; on velocities one tick more takes in the note that the line is drawn to.
  const reach = "lane" in stroke ? 0 : 1;
  const moved: [number, number] =
    along === "start"
      ? [Math.min(tick, span[1] - 1 - reach), span[1]]
      : [span[0], Math.max(tick, span[0] + 1) + reach];
  return { where: { ...stroke.where, span: moved } };
}
