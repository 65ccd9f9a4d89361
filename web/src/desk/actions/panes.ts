/** What is opened under the staves and has no key of its own: its state, what it is for, and what people call it. */
export const PANES = [
  [
    "checkOpen",
    "Check-up: what is broken, and what sounds programmed",
    "stiff robotic mechanical faults errors problems humanise",
  ],
  [
    "compareOpen",
    "Compare with what it was, or with another take",
    "difference versions blind ab loudness diff",
  ],
  ["outOpen", "Take it home: every form", "export clip ump midi2 wav pdf musicxml zip stems"],
] as const;
