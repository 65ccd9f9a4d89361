/** The strokes on notes themselves, one entry each, as `ENTRIES` has all kinds. */

import { beginLengths, beginNote, beginOnNotes, join, makeCues, mute, remove } from "./beginNotes";
import { copyNotes } from "./copying";
import type { ChoiceField, Entry, NumberField } from "./entry";

const YES_NO = [
  ["true", "yes"],
  ["false", "no"],
] as const;
const PAGE: ChoiceField = { name: "page", label: "The page follows", options: YES_NO };
const UNDER: ChoiceField = {
  name: "under",
  label: "Under them",
  options: [
    ["true", "travels along"],
    ["false", "stays"],
  ],
};
const OVER: ChoiceField = {
  name: "over",
  label: "Same key",
  options: [
    ["cut", "is cut"],
    ["refuse", "refuse"],
  ],
};
const LIFT: NumberField = { name: "lift", label: "Lift", step: 0.05 };

export const NOTE_ENTRIES = {
  "notes.add": {
    name: "New note",
    fields: [OVER],
    on: "notes",
    gestures: [
      {
        sign: "put",
        name: "Put in a note",
        title: "At the playhead, by its numbers (n); by hand: Ctrl and drag on the ribbons",
        words: "add insert new note create write pencil",
        begin: beginNote,
      },
    ],
  },
  "notes.move": {
    name: "Moved",
    says: "A place is told in ticks: 960 are a quarter in most takes.",
    fields: [{ name: "ticks", label: "Ticks", step: 60 }, { name: "keys", label: "Keys" }, UNDER, PAGE, OVER],
    on: "notes",
    gestures: [
      {
        sign: "move",
        name: "Move",
        title: "Later or sooner, up or down (by hand: drag what is chosen; Ctrl and the arrow keys)",
        words: "shift nudge drag time pitch earlier later",
        forSelection: true,
        begin: () => beginOnNotes("notes.move"),
      },
    ],
  },
  "notes.transpose": {
    name: "Transposed",
    fields: [{ name: "keys", label: "Up by" }, OVER],
    on: "notes",
    gestures: [
      {
        sign: "transpose",
        name: "Transpose",
        title: "By keys, or by steps of a scale",
        words: "octave semitone scale diatonic pitch up down",
        forSelection: true,
        begin: () => beginOnNotes("notes.transpose"),
      },
    ],
  },
  "notes.length": {
    name: "Lengths",
    says: "The written page stays as it is, unless it is told to follow.",
    fields: [
      { name: "to", label: "Beats", step: 0.125 },
      { name: "by", label: "Longer by", step: 0.125 },
      { name: "factor", label: "Times", step: 0.05 },
      { name: "gap_ms", label: "Gap (ms)", step: 5 },
      UNDER,
      PAGE,
    ],
    on: "notes",
    gestures: [
      {
        sign: "short",
        name: "Staccato",
        title: "Half as long, for the ear only",
        words: "short detached length shorten duration",
        forSelection: true,
        begin: () => beginOnNotes("notes.length"),
      },
      {
        sign: "bound",
        name: "Legato",
        title: "Each up to the next of the line, for the ear only",
        words: "bound slur connected length extend fill gaps",
        forSelection: true,
        begin: () => beginLengths(0),
      },
    ],
  },
  "notes.spread": {
    name: "Strum",
    says: "Each chord one note after another; the written page stays as it is.",
    fields: [
      { name: "time_ms", label: "Each (ms)", step: 2 },
      LIFT,
      {
        name: "order",
        label: "Goes",
        options: [
          ["up", "up"],
          ["down", "down"],
          ["out", "outwards"],
        ],
      },
      {
        name: "anchor",
        label: "On the beat",
        options: [
          ["first", "the first"],
          ["last", "the last"],
        ],
      },
      UNDER,
      PAGE,
    ],
    on: "notes",
    gestures: [
      {
        sign: "strum",
        name: "Strum",
        title: "The notes of each chord one after another, for the ear only",
        words: "arpeggio arpeggiate roll spread chord guitar harp",
        forSelection: true,
        begin: () => beginOnNotes("notes.spread"),
      },
    ],
  },
  "notes.place": {
    name: "Towards the grid",
    says: "How far from its line each note was played is kept: 0 none of it, 1 all, 2 twice.",
    fields: [
      { name: "keep", label: "Kept", step: 0.05 },
      { name: "swing", label: "Swing", step: 0.05 },
      { name: "window", label: "Within", step: 0.05, absent: "all" },
      UNDER,
      PAGE,
    ],
    on: "notes",
    gestures: [
      {
        sign: "grid",
        name: "To the grid",
        title: "Towards the lines of a grid, or further away from them",
        words: "quantize quantise quantizing swing groove tighten grid strength",
        forSelection: true,
        begin: () => beginOnNotes("notes.place"),
      },
    ],
  },
  "notes.loosen": {
    name: "Loosened",
    says: "A little early and late, as a hand is, with a drift that is slow.",
    fields: [
      { name: "amount_ms", label: "Amount (ms)", step: 1 },
      { name: "drift", label: "Drift", step: 0.05 },
      { name: "seed", label: "Roll" },
      UNDER,
      PAGE,
    ],
    on: "notes",
    gestures: [
      {
        sign: "loosen",
        name: "Loosen",
        title: "Small deviations in time, for the ear only",
        words: "humanise humanize random timing feel loose dice",
        forSelection: true,
        begin: () => beginOnNotes("notes.loosen"),
      },
    ],
  },
  "notes.split": {
    name: "Split",
    fields: [
      { name: "at", label: "At tick", step: 60 },
      { name: "into", label: "Into" },
    ],
    on: "notes",
    gestures: [
      {
        sign: "split",
        name: "Split",
        title: "Into so many, or at the grid (x: at the pointer)",
        words: "cut divide scissors repeat",
        forSelection: true,
        begin: () => beginOnNotes("notes.split"),
      },
    ],
  },
  "notes.join": {
    name: "Joined",
    says: "Neighbours of one key become one note.",
    fields: [{ name: "rest", label: "Rest up to", step: 0.125 }],
    on: "notes",
    gestures: [
      {
        sign: "join",
        name: "Join",
        title: "Neighbours of one key into one note (o)",
        words: "glue merge tie together one",
        forSelection: true,
        begin: () => void join(),
      },
    ],
  },
  "notes.mute": {
    name: "Muted",
    fields: [
      {
        name: "on",
        label: "They are",
        options: [
          ["true", "muted"],
          ["false", "heard"],
        ],
      },
    ],
    on: "notes",
    gestures: [
      {
        sign: "mute",
        name: "Mute",
        title: "Not sent, and left where they are; or heard again (m)",
        words: "silent off unmute",
        forSelection: true,
        begin: () => void mute(),
      },
    ],
  },
  "notes.delete": {
    name: "Deleted",
    fields: [UNDER],
    on: "notes",
    gestures: [
      {
        sign: "away",
        name: "Delete",
        title: "The chosen notes away (Del)",
        words: "remove erase notes",
        forSelection: true,
        begin: () => void remove(),
      },
    ],
  },
  "notes.copy": {
    name: "Copy of notes",
    says: "They join the notes that are there; a key that is down is not struck again.",
    fields: [{ name: "repeat", label: "Repeated" }, { name: "keys", label: "Keys" }, UNDER],
    on: "notes",
    gestures: [
      {
        sign: "copy",
        name: "Copy notes",
        title: "The chosen notes again, at another time or in another part, with what lies under them",
        words: "duplicate double repeat paste",
        forSelection: true,
        begin: copyNotes,
      },
    ],
  },
  "notes.fill": {
    name: "Run",
    says: "From each chosen note to the next: heard, not written.",
    fields: [
      { name: "time", label: "Beats", step: 0.125, absent: "all there is" },
      { name: "ring", label: "Rings on", step: 0.125 },
      { name: "end_velocity", label: "Ends at", absent: "the next" },
      LIFT,
      { name: "ease", label: "Ease", step: 0.05 },
    ],
    on: "notes",
    gestures: [
      {
        sign: "run",
        name: "Fill a run",
        title: "From each chosen note to the next, through keys between; heard, not written",
        words: "glissando gliss arpeggio scale run harp fill",
        forSelection: true,
        begin: () => beginOnNotes("notes.fill"),
      },
    ],
  },
  "notes.cue": {
    name: "Cues",
    says: "Heard by the instrument, and no part of the music: they lie in a strip of their own.",
    fields: [],
    on: "notes",
    gestures: [
      {
        sign: "cue",
        name: "As cues",
        title: "The chosen notes tell the instrument what to do: apart from the music, with a name",
        words: "keyswitch key switch articulation command cue",
        forSelection: true,
        begin: makeCues,
      },
    ],
  },
} satisfies Record<string, Entry>;
