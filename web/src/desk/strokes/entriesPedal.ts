/** The strokes on pedals, one entry each, as `ENTRIES` has all kinds. */

import { beginFoot, beginOnNotes, press } from "./beginPedal";
import type { Entry } from "./entry";

const YES_NO = [
  ["false", "no"],
  ["true", "yes"],
] as const;

export const PEDAL_ENTRIES = {
  "pedal.press": {
    name: "Pressed",
    says: "Down over the span, or over each chosen note; after that as it was.",
    fields: [{ name: "depth", label: "Depth", step: 1 }],
    on: "pedal",
    gestures: [
      {
        sign: "press",
        name: "Press",
        title: "The pedal down over the span, or over each chosen note",
        words: "pedal down hold sustain press foot",
        begin: (lane: string) => press(lane, "pedal.press"),
      },
    ],
  },
  "pedal.lift": {
    name: "Lifted",
    says: "Up over the span, or over each chosen note; after that as it was.",
    fields: [],
    on: "pedal",
    gestures: [
      {
        sign: "lift",
        name: "Lift",
        title: "The pedal up over the span, or over each chosen note",
        words: "pedal up release lift foot",
        begin: (lane: string) => press(lane, "pedal.lift"),
      },
    ],
  },
  "pedal.switch": {
    name: "On and off",
    says: "Depth becomes on and off: on from one value upwards, off again below another.",
    fields: [
      { name: "on", label: "On from", step: 1 },
      { name: "off", label: "Off below", step: 1 },
    ],
    on: "pedal",
    slides: true,
    gestures: [
      {
        sign: "square",
        name: "On and off",
        title: "Depth into on and off; a trembling foot does not flicker",
        words: "pedal half pedalling switch threshold depth binary",
        begin: (lane: string) => beginFoot(lane, "pedal.switch"),
      },
    ],
  },
  "pedal.depth": {
    name: "In part",
    says: "What is down is pressed so deep: from then on it is a curve, with the line from which it holds.",
    fields: [{ name: "depth", label: "Depth", step: 1 }],
    on: "pedal",
    slides: false,
    gestures: [
      {
        sign: "depth",
        name: "In part",
        title: "On and off into depth, which can be drawn and framed",
        words: "pedal half pedalling depth continuous partial",
        begin: (lane: string) => beginFoot(lane, "pedal.depth"),
      },
    ],
  },
  "pedal.to_lengths": {
    name: "Pedal into lengths",
    says: "Notes end where they sounded to, and the pedal that held them goes. It is heard as before.",
    fields: [
      { name: "threshold", label: "Holds from", step: 1 },
      { name: "gap_ms", label: "Gap (ms)", step: 5 },
      { name: "longest", label: "At most (beats)", step: 1, absent: "as long" },
      { name: "keep_pedal", label: "Pedal stays", options: YES_NO },
    ],
    on: "pedal",
    gestures: [
      {
        sign: "longer",
        name: "Into lengths",
        title: "Notes end where the pedal let them sound to",
        words: "pedal to note lengths extend apply sustain fingers",
        begin: () => beginOnNotes("pedal.to_lengths"),
      },
    ],
  },
  "pedal.from_lengths": {
    name: "Lengths into pedal",
    says: "Notes as short as fingers hold them, and the pedal where it is needed. It is heard as before.",
    fields: [{ name: "finger_ms", label: "Fingers hold (ms)", step: 50, absent: "to the next chord" }],
    on: "pedal",
    gestures: [
      {
        sign: "shorter",
        name: "From lengths",
        title: "Long notes become short ones that the pedal holds",
        words: "note lengths to pedal shorten fingers",
        begin: () => beginOnNotes("pedal.from_lengths"),
      },
    ],
  },
  "pedal.legato": {
    name: "Pedalling",
    says: "Up at each change and down again a little later.",
    fields: [
      {
        name: "by",
        label: "By",
        options: [
          ["harmony", "harmony"],
          ["bass", "bass"],
          ["chord", "chord"],
          ["bar", "bar"],
          ["beat", "beat"],
        ],
      },
      { name: "lag_ms", label: "Lag (ms)", step: 10 },
      { name: "depth", label: "Depth", step: 1 },
      { name: "lift", label: "Over a held bass", step: 5 },
      { name: "share", label: "New share", step: 0.1 },
      { name: "through_bass", label: "Through a new bass", options: YES_NO },
    ],
    on: "pedal",
    gestures: [
      {
        sign: "legato",
        name: "Follow harmony",
        title: "A pedal made from what is played: up at each change of harmony, and down again",
        words: "pedal legato auto harmony change bass bar beat chord pedalling",
        begin: () => beginOnNotes("pedal.legato"),
      },
    ],
  },
} satisfies Record<string, Entry>;
