/** The strokes on curves of notes, one entry each, as `ENTRIES` has all kinds. */

import { letGo, preview } from "../take/shaping";
import { beginOn } from "./beginLane";
import { beginCurve, beginGive, beginGlide, beginScatter, beginStart, ownWhere } from "./beginOwn";
import { type Entry, type NumberField, plain } from "./entry";

const LIFT: NumberField = { name: "lift", label: "Lift", step: 0.05 };
const EASE: NumberField = { name: "ease", label: "Ease", step: 0.05 };
const YES_NO = [
  ["false", "no"],
  ["true", "yes"],
] as const;

export const OWN_ENTRIES = {
  "note.curve": {
    name: "Curve of each note",
    says: "Over the length of each chosen note, in place of what it had.",
    fields: [],
    on: "own",
    gestures: [
      {
        sign: "fadeIn",
        name: "Rise",
        title: "From rest upwards, over each chosen note",
        words: "ramp grow each note",
        begin: (lane: string) => beginCurve(lane, "rise"),
      },
      {
        sign: "swell",
        name: "There and back",
        title: "A swell over each chosen note",
        words: "swell each note pressure",
        begin: (lane: string) => beginCurve(lane, "swell"),
      },
      {
        sign: "scoop",
        name: "Arrive",
        title: "Each chosen note comes to rest from elsewhere",
        words: "scoop from below settle each note",
        begin: (lane: string) => beginCurve(lane, "arrive"),
      },
    ],
  },
  "note.glide": {
    name: "Chord into chord",
    says: "Each voice is held and goes to its partner's pitch. By its grips a voice goes in its own way; by its ring it is hung on another note.",
    fields: [
      { name: "start", label: "Leaves at", step: 0.05 },
      { name: "time", label: "Beats", step: 0.125 },
      { name: "late_ms", label: "Apart (ms)", step: 10 },
      { name: "seed", label: "Roll", absent: "by height" },
      LIFT,
      EASE,
    ],
    on: "own",
    gestures: [
      {
        sign: "glide",
        name: "Chords glide",
        title: "The voices of the chosen chords glide from one to the next, which is not struck again",
        words: "glide portamento morph voices progression pad bend chord",
        forSelection: true,
        begin: () => beginGlide(),
      },
    ],
  },
  "note.copy": {
    name: "Given to others",
    says: "The curve of one note, to all others that are chosen.",
    fields: [
      {
        name: "by",
        label: "Over",
        options: [
          ["share", "each length"],
          ["beats", "its own time"],
        ],
      },
      {
        name: "flip",
        label: "Turned",
        options: [
          ["none", "not"],
          ["time", "in time"],
          ["value", "upside down"],
        ],
      },
      { name: "alternate", label: "Every other upside down", options: YES_NO },
      { name: "gain", label: "Times", step: 0.05 },
      {
        name: "scale",
        label: "And by",
        options: [
          ["none", "—"],
          ["velocity", "touch"],
          ["pitch", "height"],
          ["chord", "voice"],
        ],
      },
    ],
    on: "own",
    gestures: [
      {
        sign: "copy",
        name: "Give to others",
        title: "The curve of the first chosen note that has one, to the other chosen ones",
        words: "copy paste curve many notes alternate invert",
        forSelection: true,
        begin: (lane: string) => beginGive(lane),
      },
    ],
  },
  "note.scatter": {
    name: "Scatter",
    says: "Each node by chance within the bows about it; the same for a note whatever else is chosen.",
    fields: [
      { name: "amount", label: "Spread", step: 0.5 },
      { name: "seed", label: "Roll" },
      {
        name: "nodes",
        label: "Nodes",
        options: [
          ["all", "all"],
          ["first", "first"],
          ["inner", "inner"],
          ["last", "last"],
        ],
      },
    ],
    on: "own",
    gestures: [
      {
        sign: "vary",
        name: "Scatter",
        title: "Each node a little differently, by chance",
        words: "random spread vary deviation humanise nodes",
        begin: (lane: string) => beginScatter(lane),
      },
    ],
  },
  "note.start": {
    name: "Where curves begin",
    says: "Each is moved so that it begins there; with a time it stays, and is led into from there.",
    fields: [
      { name: "value", label: "Begins at", absent: "at rest" },
      { name: "time_ms", label: "Led in (ms)", step: 10 },
    ],
    on: "own",
    gestures: [
      {
        sign: "home",
        name: "Begin at rest",
        title: "Each curve begins at the note's own pitch, or at rest: no jump at the start",
        words: "start jump lead in offset zero",
        begin: (lane: string) => beginStart(lane),
      },
    ],
  },
  "note.to_lane": {
    name: "To the lane",
    says: "What the notes say one after another is said by the part's lane instead.",
    fields: [{ name: "keep", label: "Notes keep theirs", options: YES_NO }],
    on: "own",
    gestures: [
      {
        sign: "level",
        name: "To the lane",
        title: "The curves of a line become the lane of its part",
        words: "merge flatten level part channel",
        begin: (lane: string) => beginOn(lane, plain("note.to_lane", { lane, where: ownWhere() })),
      },
    ],
  },
  "lane.to_notes": {
    name: "To the notes",
    says: "What the lane says while a note sounds becomes that note's own.",
    fields: [{ name: "keep", label: "The lane keeps it", options: YES_NO }],
    on: "lane",
    gestures: [
      {
        sign: "accent",
        name: "To the notes",
        title: "What the lane says while a note sounds becomes that note's own",
        words: "polyphonic each note split level",
        begin: (lane: string) => {
          letGo();
          preview(plain("lane.to_notes", { lane, where: ownWhere() }));
        },
      },
    ],
  },
  "lane.trim": {
    name: "Trim of the lane",
    says: "Stands above what the lane and the notes say; opened again, not stacked.",
    fields: [{ name: "by", label: "By" }],
    on: "lane",
    gestures: [
      {
        sign: "trim",
        name: "Trim lane",
        title: "So much more or less on all of it, standing above what it and the notes say",
        words: "offset level whole part",
        begin: (lane: string) => {
          letGo();
          preview(plain("lane.trim", { lane, where: { parts: ownWhere().parts }, by: 0 }));
        },
      },
    ],
  },
  "note.send": {
    name: "How it is sent",
    says: "In a zone each note has a channel of its own (MPE); plainly, all share the part's.",
    fields: [
      {
        name: "as",
        label: "Sent",
        options: [
          ["auto", "as needed"],
          ["plain", "plainly"],
          ["mpe", "MPE"],
        ],
      },
      {
        name: "zone",
        label: "Zone",
        options: [
          ["lower", "lower"],
          ["upper", "upper"],
        ],
      },
      { name: "members", label: "Members" },
      { name: "semitones", label: "Semitones" },
    ],
    on: "own",
    gestures: [
      {
        sign: "stream",
        name: "How it is sent",
        title: "Plainly, or as MPE: the zone, its members and their range",
        words: "mpe zone channel members plain send midi",
        begin: (lane: string) =>
          beginOn(lane, plain("note.send", { where: { parts: ownWhere().parts }, as: "mpe" })),
      },
    ],
  },
  "note.stream": {
    name: "How finely it is sent",
    says: "Fewer messages for the curves of notes. Nodes are always sent.",
    fields: [
      { name: "off", label: "Off by", step: 0.5 },
      { name: "per_second", label: "A second", step: 10 },
    ],
    on: "own",
    gestures: [
      {
        sign: "stream",
        name: "Stream of notes",
        title: "Fewer messages: so many a second for each note",
        words: "thin thinner dense cable bandwidth messages rate tolerance density",
        begin: (lane: string) =>
          beginOn(lane, plain("note.stream", { lane, where: { parts: ownWhere().parts }, per_second: 100 })),
      },
    ],
  },
  "note.answers": {
    name: "What its instrument takes",
    says: "What is lost on it is shown on the notes.",
    fields: [
      { name: "semitones", label: "Bends notes by", absent: "any" },
      { name: "rings", label: "Rings on (s)", step: 0.1, absent: "1" },
    ],
    on: "own",
    gestures: [
      {
        sign: "instrument",
        name: "Its instrument",
        title: "What the instrument takes of each note: pitch, pressure, timbre, pan",
        words: "capability polyphonic expression synth device receives",
        begin: (lane: string) => beginOn(lane, plain("note.answers", { where: { parts: ownWhere().parts } })),
      },
    ],
  },
} satisfies Record<string, Entry>;
