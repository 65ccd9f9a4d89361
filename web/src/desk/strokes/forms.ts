/** The numbers of each kind of stroke, as they stand in Shape: one table, from which the forms are made. */
import type { Stroke } from "../../api/client";

type Kind = Stroke["kind"];

export interface NumberField {
  name: string;
  label: string;
  step?: number;
  /** It may be left empty: what stands there then. */
  absent?: string;
}

export interface ChoiceField {
  name: string;
  label: string;
  options: readonly (readonly [string, string])[];
}

/** A number, or a word that stands for what the notes give. */
export interface MeasureField {
  name: string;
  label: string;
  measures: true;
}

export type Field = NumberField | ChoiceField | MeasureField;

const LIFT: NumberField = { name: "lift", label: "Lift", step: 0.05 };
const EASE: NumberField = { name: "ease", label: "Ease", step: 0.05 };
const TURNING: readonly NumberField[] = [
  { name: "start", label: "Start" },
  { name: "end", label: "End" },
  { name: "peak", label: "Peak" },
  { name: "peak_at", label: "Peak at", step: 0.05 },
  LIFT,
  EASE,
];
const ACCENTS: NumberField = { name: "accents", label: "Accents", step: 0.05 };

export interface Form {
  name: string;
  /** What it is good for, in a line. */
  says?: string;
  fields: readonly Field[];
}

export const FORMS: Record<Kind, Form> = {
  "velocity.set": { name: "Set", fields: [{ name: "value", label: "Value", measures: true }] },
  "velocity.nudge": { name: "Nudge", fields: [{ name: "by", label: "By" }] },
  "velocity.scale": {
    name: "Depth",
    says: "Differences widen above 1 and narrow below it.",
    fields: [
      { name: "factor", label: "Factor", step: 0.05 },
      { name: "pivot", label: "About", measures: true },
    ],
  },
  "velocity.knee": {
    name: "Soft knee",
    says: "Only notes past the threshold move, gently where it begins.",
    fields: [
      {
        name: "side",
        label: "Moves",
        options: [
          ["loud", "the loud down"],
          ["quiet", "the quiet up"],
        ],
      },
      { name: "threshold", label: "Threshold" },
      { name: "ratio", label: "Ratio", step: 0.1 },
      { name: "knee", label: "Knee" },
    ],
  },
  "velocity.hairpin": {
    name: "Hairpin",
    fields: [...TURNING, ACCENTS, { name: "floor", label: "Floor" }, { name: "ceiling", label: "Ceiling" }],
  },
  "velocity.draw": { name: "Drawn", fields: [ACCENTS] },
  "velocity.vary": {
    name: "Vary",
    says: "Each note deviates by chance, the same whatever else is chosen.",
    fields: [
      { name: "amount", label: "Amount", step: 0.5 },
      { name: "seed", label: "Roll" },
    ],
  },
  "velocity.accent": {
    name: "Accents",
    says: "The pattern goes round with the bars.",
    fields: [{ name: "amount", label: "Amount" }],
  },
  "velocity.trim": {
    name: "Trim of the part",
    says: "Stands for the whole part; opened again, not stacked.",
    fields: [
      { name: "scale", label: "Scale", step: 0.05 },
      { name: "offset", label: "Offset" },
    ],
  },
  "lane.fade": {
    name: "Fade",
    fields: [
      { name: "start", label: "Start", step: 0.05 },
      { name: "end", label: "End", step: 0.05 },
      LIFT,
      EASE,
    ],
  },
  "lane.nodes": { name: "Nodes", fields: [] },
  "lane.draw": { name: "Drawn", fields: [{ name: "tolerance", label: "Tolerance", step: 0.5 }] },
  "lane.ramp": {
    name: "Ramp",
    fields: [
      { name: "start", label: "Start", absent: "as it is" },
      { name: "end", label: "End", absent: "as it is" },
      LIFT,
      EASE,
    ],
  },
  "lane.shape": {
    name: "Shape",
    fields: [
      ...TURNING,
      { name: "every", label: "Every (beats)", step: 0.5, absent: "once" },
      { name: "delay", label: "Delay (ms)", step: 10 },
      { name: "over", label: "Over (share)", step: 0.05 },
    ],
  },
  "lane.wave": {
    name: "Wave",
    fields: [
      {
        name: "form",
        label: "Form",
        options: [
          ["sine", "sine"],
          ["triangle", "tri."],
          ["rise", "rise"],
          ["fall", "fall"],
          ["pulse", "pulse"],
        ],
      },
      {
        name: "per",
        label: "Rate in",
        options: [
          ["beats", "beats a cycle"],
          ["hz", "hertz"],
        ],
      },
      { name: "rate", label: "Rate", step: 0.25 },
      { name: "depth", label: "Depth" },
      { name: "depth_end", label: "Depth at end", absent: "same" },
      { name: "centre", label: "Centre" },
      { name: "phase", label: "Phase", step: 0.05 },
      { name: "fade_in", label: "Fade in (beats)", step: 0.5 },
      {
        name: "mode",
        label: "Is",
        options: [
          ["set", "set"],
          ["add", "added"],
        ],
      },
    ],
  },
  "lane.reshape": {
    name: "Frame",
    says: "Grips on the lane, or numbers here; all act together, in this order.",
    fields: [
      { name: "level", label: "Level" },
      { name: "depth", label: "Depth", step: 0.05 },
      { name: "pivot", label: "About", measures: true },
      { name: "lean.0", label: "Lean L", step: 0.05 },
      { name: "lean.1", label: "Lean R", step: 0.05 },
      { name: "bow", label: "Bow" },
      { name: "drift", label: "Drift", step: 0.05 },
      { name: "length", label: "Length", step: 0.05 },
      {
        name: "join",
        label: "At the edges",
        options: [
          ["keep", "may jump"],
          ["smooth", "smooth"],
        ],
      },
    ],
  },
  "lane.smooth": {
    name: "Smooth",
    says: "Steadies a jittery hand. Nothing comes late, and what is held is reached again.",
    fields: [
      { name: "width", label: "Width (ms)", step: 10 },
      { name: "jump", label: "Jumps stay from", step: 4, absent: "¼ range" },
    ],
  },
  "lane.distil": {
    name: "Distil",
    says: "As few nodes as stay within the tolerance of what was heard, in no more events than before.",
    fields: [{ name: "tolerance", label: "Tolerance", step: 0.5 }],
  },
  "lane.unplayed": { name: "What nobody played", fields: [] },
  "lane.copy": {
    name: "Copy",
    fields: [
      { name: "gain", label: "Times", step: 0.05 },
      { name: "repeat", label: "Repeated" },
      {
        name: "flip",
        label: "Flipped",
        options: [
          ["none", "no"],
          ["time", "in time"],
          ["value", "upside down"],
        ],
      },
    ],
  },
  "notes.copy": {
    name: "Copy of notes",
    says: "They join the notes that are there; a key that is down is not struck again.",
    fields: [{ name: "repeat", label: "Repeated" }],
  },
  "lane.move": { name: "Move", fields: [] },
  "lane.clear": { name: "Erased", fields: [] },
  "lane.lead_in": { name: "Lead-in", fields: [{ name: "value", label: "Value", absent: "as it is" }] },
};

/** The fields that a stroke shows as it stands: some belong to one mode only. */
export function fieldsOf(stroke: Stroke): readonly Field[] {
  const turns = "peak" in stroke && stroke.peak != null;
  const fields = FORMS[stroke.kind].fields.filter(({ name }) => turns || !name.startsWith("peak"));
  if (stroke.kind === "lane.shape")
    return fields.filter(({ name }) =>
      stroke.notes ? name !== "every" : name !== "delay" && name !== "over",
    );
  if (stroke.kind !== "velocity.hairpin") return fields;
  const byFactor = stroke.mode === "by";
  return fields
    .filter(({ name }) => !(name === "accents" && byFactor))
    .map((field) =>
      byFactor && ["start", "end", "peak"].includes(field.name) ? { ...field, step: 0.05 } : field,
    );
}
