/** Every key of the desk in one table: what it does is read by the handler and by the sheet. */

import { SUSTAIN, VELOCITY } from "../../score/lanes";
import { player, usePlayer } from "../../sound/player";
import { nudge } from "../hand/velocityGestures";
import { limit } from "../strokes/begin";
import { beginNote, lengthen, step } from "../strokes/beginNotes";
import { paste, remember } from "../strokes/copying";
import { allToFront, arrangeRows, wish } from "../take/arranging";
import { chooseAll, invertChoice } from "../take/choosing";
import { closeUpOfChosen, leaveCloseUp } from "../take/closeUp";
import { phraseAway } from "../take/phraseKeys";
import { redo, undo } from "../take/shaping";
import { desk, type Limit, set } from "../take/state";
import {
  download,
  eraseChosen,
  gesture,
  goTo,
  keepOrPlay,
  nextPart,
  numbered,
  page,
  pageRows,
  playOrStop,
  release,
  rows,
  spanOfChosen,
  splitAtPointer,
  stepChoice,
  viewSelection,
  wholeTake,
  zoom,
} from "./moves";
import { PANES } from "./panes";

const LIMITS: Limit[] = ["stop", "pin", "squeeze"];

export interface Action {
  /** None: it is only found by search. */
  keys: string[];
  does: string;
  group: "Hear" | "Choose" | "Shape" | "Look";
  /** Other words it may be looked for by. */
  words?: string;
  run: (event: KeyboardEvent) => void;
}

/** What changes the view, and is only found by search. */
const look = (does: string, words: string, run: () => void): Action => ({
  keys: [],
  group: "Look",
  does,
  words,
  run,
});

export const ACTIONS: Action[] = [
  {
    keys: ["/"],
    group: "Look",
    does: "Find anything by what it is called",
    words: "search command action",
    run: () => set({ sheet: "find" }),
  },
  {
    keys: ["?"],
    group: "Look",
    does: "All keys on one sheet",
    words: "help shortcuts keyboard",
    run: () => set({ sheet: "keys" }),
  },
  {
    keys: ["Space"],
    group: "Hear",
    does: "Play or stop; with bars chosen, from their start",
    words: "start pause listen",
    run: () => playOrStop(),
  },
  {
    keys: ["Shift+Space"],
    group: "Hear",
    does: "Play from the start of the take",
    words: "beginning top",
    run: () => void player.play(0),
  },
  {
    keys: ["Enter"],
    group: "Hear",
    does: "Keep the open stroke; otherwise play the span, or from the first chosen note",
    run: () => keepOrPlay(),
  },
  {
    keys: [],
    group: "Hear",
    does: "Metronome on or off",
    words: "click beat tempo count",
    run: () => wish({ metronome: !desk().wishes.metronome }),
  },
  {
    keys: ["r"],
    group: "Hear",
    does: "Repeat the span on or off",
    words: "loop cycle again round",
    run: () => player.setLooping(!usePlayer.getState().looping),
  },
  {
    keys: ["b"],
    group: "Hear",
    does: "Before or after the newest stroke",
    words: "compare a b bypass original undo listen",
    run: () => player.flip(!usePlayer.getState().before),
  },
  {
    keys: ["Home"],
    group: "Hear",
    does: "Back to the start",
    words: "rewind return zero beginning",
    run: () => goTo(0),
  },
  {
    keys: ["End"],
    group: "Hear",
    does: "To the end",
    words: "last",
    run: () => goTo(desk().score?.seconds ?? 0),
  },

  {
    keys: ["Mod+a"],
    group: "Choose",
    does: "Choose all notes of the part in front",
    words: "select all everything",
    run: () => chooseAll(),
  },
  {
    keys: ["ArrowRight", "Shift+ArrowRight"],
    group: "Choose",
    does: "Next note (Shift: add it)",
    run: (event) => stepChoice(1, event.shiftKey),
  },
  {
    keys: ["ArrowLeft", "Shift+ArrowLeft"],
    group: "Choose",
    does: "Note before (Shift: add it)",
    run: (event) => stepChoice(-1, event.shiftKey),
  },
  {
    keys: ["z", "Shift+z"],
    group: "Choose",
    does: "Choose the phrase, then the next one (Shift: the one before)",
    words: "phrase line breath sentence slur",
    run: ({ shiftKey }) => phraseAway(shiftKey ? -1 : 1),
  },
  {
    keys: ["s"],
    group: "Choose",
    does: "Make the chosen notes a span",
    words: "selection range loop region",
    run: () => spanOfChosen(),
  },
  {
    keys: ["j"],
    group: "Choose",
    does: "Go to a bar, or choose bars by their numbers",
    words: "jump goto locate measure place",
    run: () => set({ typesPlace: true }),
  },
  {
    keys: ["i"],
    group: "Choose",
    does: "Choose the others instead",
    words: "invert selection",
    run: () => invertChoice(),
  },
  {
    keys: ["Tab"],
    group: "Choose",
    does: "Next control; on the staves, the parts and panels follow",
    run: () => undefined,
  },
  {
    keys: [",", "."],
    group: "Choose",
    does: "Part before, next part to the front",
    run: (event) => nextPart(event.key === "." ? 1 : -1),
  },
  {
    keys: ["Escape"],
    group: "Choose",
    does: "Cancel the open stroke, then choose nothing",
    words: "deselect none drop",
    run: () => release(),
  },

  {
    keys: ["h"],
    group: "Shape",
    does: "A hairpin over the selection, its numbers in Shape",
    run: () => numbered("velocity.hairpin", VELOCITY, desk().thereAndBack ? 1 : 0),
  },
  {
    keys: ["ArrowUp", "Shift+ArrowUp"],
    group: "Shape",
    does: "Velocity 1 up (Shift: 10)",
    run: (event) => nudge(event.shiftKey ? 10 : 1),
  },
  {
    keys: ["ArrowDown", "Shift+ArrowDown"],
    group: "Shape",
    does: "Velocity 1 down (Shift: 10)",
    run: (event) => nudge(event.shiftKey ? -10 : -1),
  },
  {
    keys: ["l"],
    group: "Shape",
    does: "At the end of the range: stop, pin, squeeze in turn",
    words: "limit",
    run: () => limit(LIMITS[(LIMITS.indexOf(desk().limit) + 1) % LIMITS.length]!),
  },
  {
    keys: ["t"],
    group: "Shape",
    does: "Hairpins go there and back, or one way",
    words: "swell dip peak",
    run: () => set({ thereAndBack: !desk().thereAndBack }),
  },
  {
    keys: ["k", "Shift+k"],
    group: "Shape",
    does: "Press the pedal over the span or the chosen notes (Shift: lift it)",
    words: "sustain foot down up",
    run: (event) => gesture(event.shiftKey ? "pedal.lift" : "pedal.press", SUSTAIN),
  },
  {
    keys: ["d"],
    group: "Shape",
    does: "The pointer draws, or chooses (Ctrl held: the other)",
    words: "freehand pencil line",
    run: () => set({ drawing: !desk().drawing }),
  },
  {
    keys: ["Delete", "Backspace"],
    group: "Shape",
    does: "Delete the chosen notes; on a lane, erase its span or its chosen node",
    words: "remove clear",
    run: () => eraseChosen(),
  },
  {
    keys: ["n"],
    group: "Shape",
    does: "Put in a note at the playhead, its numbers in Shape",
    words: "add new insert write",
    run: () => beginNote(),
  },
  {
    keys: ["x"],
    group: "Shape",
    does: "Split the note under the pointer, or the chosen ones at the playhead",
    words: "cut divide",
    run: (event) => splitAtPointer(event.altKey),
  },
  {
    keys: ["o"],
    group: "Shape",
    does: "Join neighbours of one key",
    words: "glue merge tie",
    run: () => gesture("notes.join"),
  },
  {
    keys: ["m"],
    group: "Shape",
    does: "Mute the chosen notes, or let them be heard",
    run: () => gesture("notes.mute"),
  },
  {
    keys: ["Mod+ArrowLeft", "Mod+ArrowRight"],
    group: "Shape",
    does: "Move the chosen notes by a step of the grid",
    words: "nudge shift earlier later",
    run: (event) => step(event.key === "ArrowRight" ? 1 : -1, 0),
  },
  {
    keys: ["Mod+ArrowUp", "Mod+ArrowDown", "Mod+Shift+ArrowUp", "Mod+Shift+ArrowDown"],
    group: "Shape",
    does: "Move the chosen notes by a key (Shift: an octave)",
    words: "transpose semitone octave up down",
    run: (event) => step(0, (event.key === "ArrowUp" ? 1 : -1) * (event.shiftKey ? 12 : 1)),
  },
  {
    keys: ["Mod+Shift+ArrowLeft", "Mod+Shift+ArrowRight"],
    group: "Shape",
    does: "Shorten or lengthen the chosen notes by a step of the grid",
    run: (event) => lengthen(event.key === "ArrowRight" ? 1 : -1),
  },
  {
    keys: ["Mod+c"],
    group: "Shape",
    does: "Copy the chosen notes with what lies under them, or the span of the lane",
    run: () => remember(),
  },
  {
    keys: ["Mod+v"],
    group: "Shape",
    does: "Paste at the playhead, or where another span begins",
    run: () => void paste(),
  },
  { keys: ["Mod+z"], group: "Shape", does: "Undo", words: "back take revert", run: () => void undo() },
  {
    keys: ["Mod+Shift+z", "Mod+y"],
    group: "Shape",
    does: "Redo",
    words: "again forward",
    run: () => void redo(),
  },

  {
    keys: ["a"],
    group: "Choose",
    does: "All parts to the front",
    words: "tracks every",
    run: () => allToFront(),
  },
  {
    keys: ["g"],
    group: "Choose",
    does: "Pull to the grid, or not",
    words: "snap quantize magnet",
    run: () => set({ grid: { ...desk().grid, snap: !desk().grid.snap } }),
  },
  {
    keys: ["u"],
    group: "Look",
    does: "All rows, or only those in use",
    run: () => arrangeRows(desk().rows === "all" ? "used" : "all"),
  },
  {
    keys: ["Shift+Enter"],
    group: "Hear",
    does: "Record from here on, or stop (while recording: Backspace begins again, Escape drops it)",
    words: "record recording overdub take punch",
    // The key itself is the record key's; this is for who looks for it.
    run: () => document.querySelector<HTMLElement>("[data-record]")?.click(),
  },
  {
    keys: ["y"],
    group: "Hear",
    does: "Play in: record, from an instrument or the practice rig",
    words: "record recording overdub arm keyboard midi input rig count-in click metronome",
    run: () => set({ rigOpen: !desk().rigOpen }),
  },
  {
    keys: ["q"],
    group: "Look",
    does: "The page: the parts in front as staff notation",
    words: "score sheet music notation staff musicxml pdf svg engrave print",
    run: () => set({ pageOpen: !desk().pageOpen }),
  },
  {
    keys: ["e"],
    group: "Look",
    does: "The list of events",
    words: "data messages table numbers",
    run: () => set({ listOpen: !desk().listOpen }),
  },
  {
    keys: ["p"],
    group: "Look",
    does: "Fold the panel away, or unfold it",
    words: "sidebar inspector hide show shape",
    run: () => set({ panelOpen: !desk().panelOpen }),
  },
  {
    keys: ["f"],
    group: "Hear",
    does: "Follow the playhead, or not",
    words: "scroll autoscroll cursor",
    run: () => set({ followsHead: !desk().followsHead }),
  },
  { keys: ["+", "="], group: "Look", does: "Closer in time", words: "zoom in magnify", run: () => zoom(1.4) },
  { keys: ["-"], group: "Look", does: "Further away", words: "zoom out", run: () => zoom(1 / 1.4) },
  {
    keys: ["Alt+ArrowUp"],
    group: "Look",
    does: "Taller rows",
    words: "zoom vertical",
    run: () => rows(1.25),
  },
  {
    keys: ["Alt+ArrowDown"],
    group: "Look",
    does: "Lower rows",
    words: "zoom vertical",
    run: () => rows(0.8),
  },
  { keys: ["PageDown"], group: "Look", does: "A page on", run: () => page(1) },
  { keys: ["PageUp"], group: "Look", does: "A page back", run: () => page(-1) },
  { keys: ["Shift+PageDown"], group: "Look", does: "Lower notes", run: () => pageRows(1) },
  { keys: ["Shift+PageUp"], group: "Look", does: "Higher notes", run: () => pageRows(-1) },
  {
    keys: ["c"],
    group: "Look",
    does: "Close-up: one note large with all of its curves (arrows: the next; Esc: back)",
    words: "zoom single note curves pitch pressure timbre pan",
    run: () => {
      if (!leaveCloseUp()) closeUpOfChosen();
    },
  },
  {
    keys: ["w"],
    group: "Look",
    does: "The whole take",
    words: "zoom fit all everything",
    run: () => wholeTake(),
  },
  {
    keys: ["v"],
    group: "Look",
    does: "Fill the view with the selection",
    words: "zoom fit selection",
    run: () => viewSelection(),
  },
  ...([3, 4, 5] as const).map(
    (octave): Action => ({
      keys: [],
      group: "Look",
      does: `Call middle C C${octave}`,
      words: "note names octave",
      run: () => wish({ middle_c: octave }),
    }),
  ),
  ...(
    [
      ["", "Download the take", "file save export mid"],
      ["?kind=mpe", "Download as MPE", "file save export mpe zone"],
    ] as const
  ).map(
    ([kind, does, words]): Action => ({ keys: [], group: "Shape", does, words, run: () => download(kind) }),
  ),
  look("Show the strip of cues, or not", "keyswitch articulation", () =>
    set({ showsCues: !desk().showsCues }),
  ),
  ...PANES.map(([pane, does, words]) => look(does, words, () => set({ [pane]: !desk()[pane] }))),
  look("Back to the library", "takes close", () => window.location.assign("/")),
];

/** Whether a key may act: those of one sign can be made to need Alt, so that nothing is done by mistake. */
export function mayAct(event: KeyboardEvent): boolean {
  const isPlain = event.key.length === 1 && event.key !== " " && !event.ctrlKey && !event.metaKey;
  return !isPlain || desk().wishes.letters !== false || event.altKey;
}

/** A pressed key as it stands in the table. */
export function nameOf(event: KeyboardEvent): string {
  const key = event.key === " " ? "Space" : event.key.length === 1 ? event.key.toLowerCase() : event.key;
  const mod = event.ctrlKey || event.metaKey ? "Mod+" : "";
  const named = key.length > 1 || mod;
  // Where letters need Alt, that is no part of their names.
  const alt = event.altKey && (named || desk().wishes.letters !== false) ? "Alt+" : "";
  return `${mod}${alt}${event.shiftKey && named ? "Shift+" : ""}${key}`;
}

const table = new Map(ACTIONS.flatMap((key) => key.keys.map((name) => [name, key] as const)));
table.delete("Tab");

/** Handle a key of the desk, unless it belongs to a field, a button or a menu that has the focus. */
export function handleKey(event: KeyboardEvent): void {
  const target = event.target as HTMLElement;
  const key = table.get(nameOf(event));
  if (!key || event.defaultPrevented || !mayAct(event) || target.closest("[role=menu],[role=dialog]")) return;
  const typing = target.closest("input:not([type=range]),textarea,select,[contenteditable]");
  // In a list that drops down there is no text that the platform's own keys could be for.
  const isList = typing instanceof HTMLSelectElement && (event.ctrlKey || event.metaKey);
  // A number has no space in it: it can be heard while it is typed.
  const plays = event.key === " " && typing instanceof HTMLInputElement && typing.inputMode === "decimal";
  if (typing && !isList && !plays && event.key !== "Escape") return;
  // Buttons keep the keys that press them; what is moved by arrows keeps those too.
  const pressed = event.key === " " || event.key === "Enter";
  if (pressed && !plays && target.closest("button,a,[role=switch],[role=radio],[role=separator],input"))
    return;
  const moves = /^(Arrow|Home|End|Page)/.test(event.key);
  if (
    moves &&
    target.closest(
      "input,[role=slider],[role=radio],[role=separator],[role=table],[tabindex='0']:not(canvas)",
    )
  ) {
    return;
  }
  // Words that are marked on the page are what is copied then.
  if (key.keys.includes("Mod+c") && !window.getSelection()?.isCollapsed) return;
  event.preventDefault();
  key.run(event);
}
