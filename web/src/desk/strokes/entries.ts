/** Every kind of stroke, one entry each: what it is called, its numbers in Shape, and how it is begun. */
import type { Stroke } from "../../api/client";
import { EXPRESSION, MOD_WHEEL } from "../../score/lanes";
import { isOfNotes } from "../../score/own";
import { inFront, onLead } from "../take/choosing";
import { desk, leadPart } from "../take/state";
import { accent, depth, fade, hairpin, knee, levelOut, trim, vary } from "./begin";
import {
  beginBend,
  beginCopy,
  beginning,
  beginOnLane,
  beginRamp,
  beginWave,
  neutral,
  spanOf,
  swell,
  whereOn,
} from "./beginLane";
import { NOTE_ENTRIES } from "./entriesNotes";
import { OWN_ENTRIES } from "./entriesOwn";
import { PEDAL_ENTRIES } from "./entriesPedal";
import { type Entry, type Field, type Gesture, type Kind, type NumberField, plain } from "./entry";

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

/** In the order in which they are offered. */
export const ENTRIES: Record<Kind, Entry> = {
  "record.pass": {
    name: "Played in",
    fields: [
      {
        name: "mode",
        label: "It is",
        options: [
          ["merge", "added"],
          ["replace", "in place"],
          ["touch", "where touched"],
        ],
      },
      { name: "shift_ms", label: "Later, ms", step: 5 },
    ],
    on: "notes",
    gestures: [],
  },
  "velocity.hairpin": {
    name: "Hairpin",
    fields: [...TURNING, ACCENTS, { name: "floor", label: "Floor" }, { name: "ceiling", label: "Ceiling" }],
    on: "velocity",
    gestures: [
      {
        sign: "hairpin",
        name: "Hairpin",
        title: "A ramp from the softest to the loudest (h)",
        words: "crescendo decrescendo diminuendo ramp louder softer dynamics",
        forSelection: true,
        begin: () => hairpin(),
      },
      {
        sign: "swell",
        name: "There and back",
        title: "A swell or a dip with a peak that can be moved",
        words: "swell dip messa di voce crescendo peak",
        forSelection: true,
        begin: () => hairpin(true),
      },
      {
        sign: "fadeIn",
        name: "Fade in",
        title: "At the start of the span or the part: as touch, expression or volume",
        words: "niente from nothing begin",
        begin: () => fade("in"),
      },
      {
        sign: "fadeOut",
        name: "Fade out",
        title: "At the end of the span or the part: as touch, expression or volume",
        words: "niente morendo to nothing end",
        begin: () => fade("out"),
      },
    ],
  },
  "velocity.set": {
    name: "Set",
    fields: [{ name: "value", label: "Value", measures: true }],
    on: "velocity",
    gestures: [
      {
        sign: "level",
        name: "Level out",
        title: "All to their mean, at once; the number can be changed then",
        words: "even equal same flatten average set velocity",
        begin: levelOut,
      },
    ],
  },
  "velocity.nudge": { name: "Nudge", fields: [{ name: "by", label: "By" }], on: "velocity", gestures: [] },
  "velocity.scale": {
    name: "Depth",
    says: "Differences widen above 1 and narrow below it.",
    fields: [
      { name: "factor", label: "Factor", step: 0.05 },
      { name: "pivot", label: "Pivot", measures: true },
    ],
    on: "velocity",
    gestures: [
      {
        sign: "depth",
        name: "Depth",
        title: "Widen or narrow the differences",
        words: "scale contrast dynamics range expand compress",
        begin: depth,
      },
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
    on: "velocity",
    gestures: [
      {
        sign: "knee",
        name: "Soft knee",
        title: "Lower the loud only, or raise the quiet only",
        words: "compressor compression threshold ratio limit tame",
        begin: knee,
      },
    ],
  },
  "velocity.draw": { name: "Drawn", fields: [ACCENTS], on: "velocity", gestures: [] },
  "velocity.vary": {
    name: "Vary",
    says: "Each note deviates by chance, the same whatever else is chosen.",
    fields: [
      { name: "amount", label: "Amount", step: 0.5 },
      { name: "seed", label: "Roll" },
    ],
    on: "velocity",
    gestures: [
      {
        sign: "vary",
        name: "Vary",
        title: "Small deviations by chance",
        words: "random humanise humanize loosen chance dice",
        begin: vary,
      },
    ],
  },
  "velocity.accent": {
    name: "Accents",
    says: "The pattern goes round with the bars.",
    fields: [{ name: "amount", label: "Amount" }],
    on: "velocity",
    gestures: [
      {
        sign: "accent",
        name: "Accents",
        title: "A pattern of accents that goes round with the bars",
        words: "accent groove beat strong weak pattern metre",
        begin: accent,
      },
    ],
  },
  "velocity.trim": {
    name: "Trim of the part",
    says: "Stands for the whole part; opened again, not stacked.",
    fields: [
      { name: "scale", label: "Scale", step: 0.05 },
      { name: "offset", label: "Offset" },
    ],
    on: "velocity",
    gestures: [
      {
        sign: "trim",
        name: "Trim part",
        title: "A standing scale and offset for the whole part",
        words: "balance louder softer whole part mix",
        begin: () => {
          const part = leadPart();
          if (part) trim(part);
        },
      },
    ],
  },
  "lane.reshape": {
    name: "Frame",
    says: "Grips on the lane, or numbers here; all act together, in this order.",
    fields: [
      { name: "level", label: "Level" },
      { name: "depth", label: "Depth", step: 0.05 },
      { name: "pivot", label: "Pivot", measures: true },
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
    on: "lane",
    slides: true,
    gestures: [
      {
        sign: "depth",
        name: "Frame",
        title: "Grips round the span: level, depth, lean, bow, drift, length",
        words: "scale stretch offset transform raise lower",
        begin: (lane) => beginOnLane(neutral(lane, whereOn(lane, desk().span))),
      },
    ],
  },
  "lane.ramp": {
    name: "Ramp",
    fields: [
      { name: "start", label: "Start", absent: "as it is" },
      { name: "end", label: "End", absent: "as it is" },
      LIFT,
      EASE,
    ],
    on: "lane",
    slides: true,
    gestures: [
      {
        sign: "hairpin",
        name: "Ramp",
        title: "One way over the span, from the value that is there to the one that is there",
        words: "line slope glide rise fall linear",
        begin: (lane) => beginRamp(lane),
      },
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
    on: "lane",
    slides: true,
    gestures: [
      {
        sign: "swell",
        name: "Swell",
        title: "There and back over the span, once or again and again",
        words: "rise fall dip crescendo envelope",
        begin: (lane) =>
          beginOnLane(swell(lane, { where: whereOn(lane, isOfNotes(lane) ? null : spanOf(lane)) })),
      },
      {
        sign: "swell",
        name: "On each note",
        title: "A swell on every chosen note at once, or on all of the part",
        words: "each note envelope swell attack",
        begin: (lane) =>
          beginOnLane(swell(lane, { where: { ...inFront(), ...onLead() }, notes: true, delay: 80 })),
      },
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
    on: "lane",
    slides: true,
    gestures: [
      {
        sign: "vary",
        name: "Wave",
        title: "Sine, triangle, teeth or pulse; in beats or hertz",
        words: "vibrato tremolo lfo sine shake oscillate",
        begin: (lane) => beginWave(lane),
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
    on: "lane",
    slides: true,
    gestures: [
      {
        sign: "knee",
        name: "Smooth",
        title: "Steady a jittery controller",
        words: "jitter steady filter average soften",
        begin: (lane) => beginOnLane(plain("lane.smooth", { lane, where: whereOn(lane, desk().span) })),
      },
    ],
  },
  "lane.distil": {
    name: "Distil",
    says: "As few nodes as stay within the tolerance of what was heard, in no more events than before.",
    fields: [{ name: "tolerance", label: "Tolerance", step: 0.5 }],
    on: "lane",
    slides: true,
    gestures: [
      {
        sign: "fadeIn",
        name: "Distil",
        title: "Few nodes instead of hundreds of recorded values",
        words: "thin reduce simplify fewer data",
        begin: (lane) =>
          beginOnLane(
            plain("lane.distil", {
              lane,
              where: whereOn(lane, desk().span),
              tolerance: beginning(lane).tolerance,
            }),
          ),
      },
    ],
  },
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
    on: "lane",
    gestures: [
      {
        sign: "copy",
        name: "Copy",
        title: "To another time, lane or part",
        words: "duplicate paste repeat",
        begin: (lane) => beginCopy(lane),
      },
    ],
  },
  "lane.move": {
    name: "Move",
    fields: [],
    on: "lane",
    gestures: [
      {
        sign: "level",
        name: "Move",
        title: "One kind of data becomes another",
        words: "convert change controller remap",
        begin: (lane) =>
          beginOnLane(
            plain("lane.move", {
              lane,
              where: onLead(desk().span),
              to: lane === EXPRESSION ? MOD_WHEEL : EXPRESSION,
            }),
          ),
      },
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
    on: "lane",
    gestures: [],
  },
  "bend.scoop": {
    name: "Scoop",
    says: "Each chosen note begins away from its pitch and comes to it.",
    fields: [
      { name: "start", label: "From (semitones)", step: 0.5 },
      { name: "time", label: "Time (beats)", step: 0.125 },
      LIFT,
      EASE,
    ],
    on: "bend",
    gestures: [
      {
        sign: "scoop",
        name: "Scoop",
        title: "Into the chosen notes, from below or above",
        words: "slide in bend up attack pitch",
        begin: () => beginBend(plain("bend.scoop", { where: inFront() })),
      },
    ],
  },
  "bend.fall": {
    name: "Fall",
    says: "Each chosen note leaves its pitch before its end.",
    fields: [
      { name: "end", label: "To (semitones)", step: 0.5 },
      { name: "time", label: "Time (beats)", step: 0.125 },
      LIFT,
      EASE,
    ],
    on: "bend",
    gestures: [
      {
        sign: "fall",
        name: "Fall",
        title: "Off the end of the chosen notes",
        words: "drop doit slide off bend down release pitch",
        begin: () => beginBend(plain("bend.fall", { where: inFront() })),
      },
    ],
  },
  "bend.dip": {
    name: "Dip",
    says: "There and back within each chosen note.",
    fields: [
      { name: "depth", label: "Depth (semitones)", step: 0.5 },
      { name: "at", label: "Where in it", step: 0.05 },
      { name: "time", label: "Time (beats)", step: 0.125 },
      LIFT,
      EASE,
    ],
    on: "bend",
    gestures: [
      {
        sign: "dip",
        name: "Dip",
        title: "There and back within the chosen notes",
        words: "bend there and back pitch",
        begin: () => beginBend(plain("bend.dip", { where: inFront() })),
      },
    ],
  },
  "bend.glide": {
    name: "Glide",
    says: "From each chosen note to the one that follows it.",
    fields: [
      {
        name: "as",
        label: "As",
        options: [
          ["tail", "a tail of the note"],
          ["one", "one long note"],
        ],
      },
      { name: "start", label: "Leaves at", step: 0.05 },
      { name: "time", label: "Time (beats)", step: 0.125, absent: "to its end" },
      LIFT,
      EASE,
    ],
    on: "bend",
    gestures: [
      {
        sign: "glide",
        name: "Glide",
        title: "From the chosen notes to those that follow",
        words: "portamento glissando slide legato pitch",
        begin: () => beginBend(plain("bend.glide", { where: inFront(), lift: 0.4 })),
      },
    ],
  },
  "bend.shake": {
    name: "Shake",
    says: "A vibrato that comes to rest at a whole swing.",
    fields: [
      {
        name: "per",
        label: "Rate",
        options: [
          ["hz", "swings a second"],
          ["beats", "beats a swing"],
        ],
      },
      { name: "rate", label: "Rate", step: 0.1 },
      { name: "depth", label: "Depth ¢", step: 5 },
      { name: "depth_end", label: "Grows to ¢", step: 5, absent: "the same" },
      { name: "delay", label: "After (beats)", step: 0.125 },
      { name: "settle", label: "Rest (beats)", step: 0.125 },
    ],
    on: "bend",
    gestures: [
      {
        sign: "shake",
        name: "Shake",
        title: "A vibrato on the chosen notes",
        words: "vibrato wobble lfo pitch",
        begin: () => beginBend(plain("bend.shake", { where: inFront() })),
      },
    ],
  },
  "bend.home": {
    name: "Wheel home",
    says: "In the rests the wheel comes back to the centre.",
    fields: [{ name: "time", label: "After the note (beats)", step: 0.125 }],
    on: "bend",
    gestures: [
      {
        sign: "home",
        name: "Home",
        title: "Back to the centre in the rests after phrases",
        words: "centre return rest reset wheel pitch",
        begin: () => beginBend(plain("bend.home", { where: onLead(desk().span) })),
      },
    ],
  },
  "bend.centre": {
    name: "Wheel centred",
    says: "What a worn wheel is off at rest is taken away from the whole lane.",
    fields: [{ name: "offset", label: "Offset ¢", absent: "as measured" }],
    on: "bend",
    gestures: [],
  },
  "bend.range": {
    name: "Bend range",
    says: "How far the wheel goes either way; said in full to the instrument before the first bend that needs it.",
    fields: [
      { name: "semitones", label: "Semitones" },
      {
        name: "keep",
        label: "Keeps",
        options: [
          ["sound", "pitch"],
          ["travel", "wheel"],
        ],
      },
      { name: "gap_ms", label: "Gap (ms)" },
    ],
    on: "bend",
    gestures: [
      {
        sign: "range",
        name: "Range",
        title: "How far the wheel goes, from the start of the span or throughout",
        words: "sensitivity rpn semitones pitch wheel",
        begin: () => beginBend(plain("bend.range", { where: onLead(desk().span), semitones: 12 })),
      },
    ],
  },
  "bend.instrument": {
    name: "Instrument",
    says: "What the instrument at the end of the cable can do with its range.",
    fields: [
      {
        name: "range_by",
        label: "Takes it",
        options: [
          ["messages", "by messages"],
          ["hand", "by hand"],
        ],
      },
      { name: "largest", label: "At most (semitones)", absent: "any" },
    ],
    on: "bend",
    gestures: [
      {
        sign: "instrument",
        name: "Instrument",
        title: "What the instrument can do: its largest range, and whether it can be told",
        words: "rpn range hand capability largest device synth",
        begin: () => beginBend(plain("bend.instrument", { where: onLead() })),
      },
    ],
  },
  "bend.stream": {
    name: "Stream",
    says: "How finely drawn bends are sent. Nodes are always sent; recorded wheels are thinned by distilling.",
    fields: [
      { name: "cents", label: "To ¢" },
      { name: "per_second", label: "A second", step: 10 },
    ],
    on: "bend",
    gestures: [
      {
        sign: "stream",
        name: "Stream",
        title: "Fewer messages: to so many cents, or so many a second",
        words: "thin thinner dense cable bandwidth messages rate tolerance",
        begin: () => beginBend(plain("bend.stream", { where: onLead(), cents: 5 })),
      },
    ],
  },
  ...OWN_ENTRIES,
  ...PEDAL_ENTRIES,
  ...NOTE_ENTRIES,
  "lane.nodes": { name: "Nodes", fields: [], on: "lane", gestures: [] },
  "lane.draw": {
    name: "Drawn",
    fields: [{ name: "tolerance", label: "Tolerance", step: 0.5 }],
    on: "lane",
    gestures: [],
  },
  "lane.unplayed": { name: "What nobody played", fields: [], on: "lane", gestures: [] },
  "lane.clear": { name: "Erased", fields: [], on: "lane", gestures: [] },
  "lane.lead_in": {
    name: "Lead-in",
    fields: [{ name: "value", label: "Value", absent: "as it is" }],
    on: "lane",
    gestures: [],
  },
};

/** All gestures that begin on velocities, or on a lane; of those on lanes, where it can slide or not. */
export const gesturesOn = (on: Entry["on"], sliding = true): Gesture[] =>
  Object.values(ENTRIES)
    .filter((entry) => entry.on === on && (entry.slides ?? sliding) === sliding)
    .flatMap(({ gestures }) => gestures);

/** Of these a stroke has one: what its number is. */
const SAID_BY_ONE = ["to", "by", "factor", "gap_ms", "at", "into", "grid"];

/** The fields that a stroke shows as it stands: some belong to one mode only. */
export function fieldsOf(stroke: Stroke): readonly Field[] {
  const turns = "peak" in stroke && stroke.peak != null;
  const fields = ENTRIES[stroke.kind].fields.filter(({ name }) => turns || !name.startsWith("peak"));
  if (stroke.kind === "lane.shape")
    return fields.filter(({ name }) =>
      stroke.notes ? name !== "every" : name !== "delay" && name !== "over",
    );
  if (stroke.kind === "notes.length" || stroke.kind === "notes.split") {
    const said = stroke as unknown as Record<string, unknown>;
    return fields.filter(({ name }) => !SAID_BY_ONE.includes(name) || said[name] != null);
  }
  // A stream is told by one of its numbers.
  if (stroke.kind === "bend.stream" || stroke.kind === "note.stream") {
    const said = stroke as unknown as Record<string, unknown>;
    return fields.filter(({ name }) => said[name] != null);
  }
  if (stroke.kind !== "velocity.hairpin") return fields;
  const byFactor = stroke.mode === "by";
  return fields
    .filter(({ name }) => !(name === "accents" && byFactor))
    .map((field) =>
      byFactor && ["start", "end", "peak"].includes(field.name) ? { ...field, step: 0.05 } : field,
    );
}
