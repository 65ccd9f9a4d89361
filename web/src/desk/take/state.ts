/** The desk's state: what is open, seen, chosen and being shaped. Musical values come from the server, always. */
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";
import {
  type Facts,
  type Form,
  type History,
  type LaneKind,
  type Mark,
  type Preview,
  type Schemas,
  type Stroke,
  sentence,
  type Where,
} from "../../api/client";
import { BEND, extentOf, formOf, type LaneNodes, VELOCITY } from "../../score/lanes";
import type { Chosen, Grid, PartScore, Score, Velocities } from "../../score/score";
import type { NoticeText } from "../../ui/Notice";
import { type Camera, held, showingRows, startCamera } from "../page/camera";
import type { TakeAudio } from "../page/draw/lane";
import type { Box } from "../page/draw/scene";
import { laneScale, type Scale, velocityScale } from "../page/scale";
import { blankLayers, type Layers, shown } from "./layers";

export type Arrangement = Schemas["Arrangement"];
export type Wishes = Schemas["Wishes"];
export type Limit = "stop" | "pin" | "squeeze";

/** Of a stroke that was tried: what a distilling saves, where a bend goes beyond its range, what else moves, the proof. */
export type Found = Pick<Preview, "saving" | "beyond" | "also" | "proof" | "idle">;

/** A stroke that is open: being drawn (no number yet), or one of the history whose numbers are being changed. */
export interface Shaping {
  stroke: Stroke;
  number: number | null;
  mark: Mark | null;
  problem: string | null;
  field: string | null;
  /** What was found of it when it was tried: it holds once it is kept, too. */
  found?: Found;
  /** Numbers that would do, where these do not. */
  offer?: Record<string, number>;
}

/** What a bend that is dragged comes to: semitones, notes of a scale (its root is a pitch class) or of the part. */
export interface Reaching {
  to: "semitones" | "scale" | "part" | "free";
  root: number;
  scale: string;
}

/** Notes of some parts, of which the first begins at `from`; or a stretch of a lane. */
export type Copied = { where: Where; from: number } | { lane: string; part: number; span: [number, number] };

/** What is known of the take that is open. */
interface TakeState {
  score: Score | null;
  name: string;
  history: History;
  layers: Layers;
  arrangement: Arrangement;
  /** The sound that is kept beside the take. */
  sound: TakeAudio | null;
  /** Why it could not be opened. */
  failure: string | null;
  /** Changes that are being written, or wait to be. */
  saving: number;
}

/** What of it is meant: chosen, in front, known of the choice. */
interface ChoiceState {
  /** The parts in front, the leading one first; and those that are not even shown behind. */
  fronts: readonly number[];
  hidden: readonly number[];
  chosen: Chosen;
  chosenCount: number;
  /** The one pitch that the lane shows and edits alone: a voice of a drum part. */
  voice: number | null;
  span: [number, number] | null;
  facts: Facts | null;
  /** The lane that Shape acts on: velocity, or the one that was touched last. */
  activeLane: string;
  rows: "all" | "used";
  /** One note opened large; and where the page was before. */
  closeUp: { part: number; id: number; camera: Camera } | null;
  /** Of lanes that are looked at closely, or from afar: the values that they are drawn between. */
  windows: Readonly<Record<string, [number, number]>>;
}

/** What the hand is doing, and how it works. */
interface HandState {
  shaping: Shaping | null;
  box: Box | null;
  /** What is said at the pointer while something is dragged. */
  tip: { stave: string; x: number; y: number; text: string } | null;
  hint: string;
  grid: Grid;
  /** What a drag on the wheel's lane comes to. */
  reaching: Reaching;
  /** What a group does at the end of the range; whether the pointer draws; hairpins go there and back; accents kept. */
  limit: Limit;
  drawing: boolean;
  thereAndBack: boolean;
  accents: number;
  /** Drawn lines on lanes: how far the kept nodes may stray from them, and whether they jump instead of sliding. */
  tolerance: number;
  steps: boolean;
  /** What is copied or moved takes with it what the lanes hold under it. */
  travels: boolean;
  /** What was copied last, to be put down where the playhead stands. */
  copied: Copied | null;
  /** The strip of cues is in sight though there are none yet. */
  showsCues: boolean;
  /** A place, or bars, are being typed where the place is shown. */
  typesPlace: boolean;
  /** The part that is being given another name. */
  renaming: number | null;
}

/** What one has in hand: a mouse with keys beside it, a finger, or a pen. */
export type Hand = "mouse" | "touch" | "pen";

/** What goes on from one take to the next: the window, and the player's wishes. */
interface ScreenState {
  camera: Camera;
  /** The rows are as fitted: they are fitted anew when the stave's height changes. */
  rowsFit: boolean;
  notice: NoticeText | null;
  followsHead: boolean;
  /** What the page was pointed at with last. */
  hand: Hand;
  listOpen: boolean;
  /** What is broken and what sounds programmed, as a list. */
  checkOpen: boolean;
  /** Every form in which it can be taken home. */
  outOpen: boolean;
  /** The take beside another, or beside what it was. */
  compareOpen: boolean;
  /** The page, as staff notation, is in sight. */
  pageOpen: boolean;
  panelOpen: boolean;
  /** What is played in, and on what, is in sight. */
  rigOpen: boolean;
  /** What lies over the desk: the search, or the sheet of all keys. */
  sheet: "find" | "keys" | null;
  wishes: Wishes;
  /** Every kind of lane there can be, velocity first. */
  kinds: ReadonlyMap<string, LaneKind>;
  scales: readonly Schemas["ScaleView"][];
}

export interface DeskState extends TakeState, ChoiceState, HandState, ScreenState {}

/** A desk on which nothing lies yet. What a take, a choice and a hand begin with is put back for every take. */
export const cleared: TakeState &
  ChoiceState &
  HandState &
  Pick<ScreenState, "rowsFit" | "notice" | "listOpen" | "checkOpen" | "outOpen" | "compareOpen"> = {
  score: null,
  name: "",
  history: { revision: 0, strokes: [], undone: [], can_undo: 0, can_redo: 0 },
  layers: blankLayers,
  arrangement: { parts: {}, lanes: {} },
  sound: null,
  failure: null,
  saving: 0,

  fronts: [0],
  hidden: [],
  chosen: [],
  chosenCount: 0,
  voice: null,
  span: null,
  facts: null,
  activeLane: VELOCITY,
  rows: "all",
  closeUp: null,
  windows: {},

  shaping: null,
  box: null,
  tip: null,
  hint: "",
  grid: { value: 4, feel: "straight", snap: true },
  reaching: { to: "semitones", root: 0, scale: "major" },
  limit: "pin",
  drawing: false,
  thereAndBack: false,
  accents: 0,
  tolerance: 1,
  steps: false,
  travels: true,
  showsCues: false,
  copied: null,
  typesPlace: false,
  renaming: null,

  rowsFit: true,
  notice: null,
  listOpen: false,
  checkOpen: false,
  outOpen: false,
  compareOpen: false,
};

const screen: Omit<ScreenState, keyof typeof cleared> = {
  camera: startCamera,
  followsHead: true,
  hand: "mouse",
  // A small window begins with the staves alone.
  panelOpen: !(globalThis.innerWidth < 700),
  pageOpen: false,
  rigOpen: false,
  sheet: null,
  wishes: {
    middle_c: 4,
    favourites: [],
    sounds: true,
    letters: true,
    metronome: false,
    metronome_level: 0.5,
    walked: true,
    gear: {},
  },
  kinds: new Map(),
  scales: [],
};

export const useDesk = create<DeskState>()(() => ({ ...screen, ...cleared }));
export const { getState: desk, setState: set } = useDesk;

/** Change some of the layers. */
export function setLayers(change: Partial<Layers>): void {
  set({ layers: { ...desk().layers, ...change } });
}

/** Velocities, and a lane of the leading part, as they are kept. */
export const keptVelocities = (state: DeskState = desk()): Velocities => state.layers.kept.velocities;
export const keptLane = (key: string, state: DeskState = desk()): LaneNodes | undefined =>
  state.layers.kept.lanes.get(key);

/** The leading part: the one that keys and lanes belong to. */
export const leadPart = (state: DeskState = desk()): PartScore | undefined =>
  state.score?.parts[state.fronts[0]!];

/** All parts in front, the leading one first. */
export const frontParts = (state: DeskState = desk()): PartScore[] =>
  state.score ? state.fronts.map((part) => (state.score as Score).parts[part]!) : [];

/** The kind of a lane. All kinds are known before anything is drawn. */
export const kindOf = (key: string, state: DeskState = desk()): LaneKind => state.kinds.get(key) as LaneKind;

/** The form of a lane of the leading part, by what it holds. */
export const leadForm = (key: string, state: DeskState = desk()): Form =>
  formOf(
    kindOf(key, state),
    leadPart(state)?.lanes.find((lane) => lane.key === key),
  );

/** Every kind of lane that a part can have. */
export const lanesThere = (state: DeskState = desk()): LaneKind[] =>
  [...state.kinds.values()].filter(({ key }) => key !== VELOCITY);

/** The values that a lane of the leading part is drawn between: what is there, what is tried, what the range allows. */
export function laneExtent(kind: LaneKind, state: DeskState = desk()): [number, number] {
  const ranges = kind.key === BEND ? (leadPart(state)?.bendRange ?? []) : [];
  const lanes = [state.layers.kept, shown(state.layers)].map((layer) => layer.lanes.get(kind.key));
  return state.windows[kind.key] ?? extentOf(kind, lanes, Math.max(0, ...ranges.map(([, reach]) => reach)));
}

/** Where its values lie at some height: the same for what is drawn and for the hand. */
export const laneLevels = (kind: LaneKind, height: number, state: DeskState = desk()): Scale =>
  laneScale(kind, height, laneExtent(kind, state));

/** The same for a component: it is drawn again where the extent changes. */
export function useLevels(kind: LaneKind, height: number): Scale {
  const [low, high] = useDesk(useShallow((state) => laneExtent(kind, state)));
  return laneScale(kind, height, [low, high]);
}

/** Where velocities lie on their lane. */
export const velocityLevels = (state: DeskState = desk()): Scale =>
  velocityScale(kindOf(VELOCITY, state), state.camera.laneHeight);

/** Whether any of these has changed from one state to the next. */
export const differs = (now: DeskState, was: DeskState, keys: readonly (keyof DeskState)[]): boolean =>
  keys.some((key) => now[key] !== was[key]);

/** Whether a press draws: in the state of drawing; with Ctrl or Cmd held, in the other state. */
export const draws = (event: { ctrlKey: boolean; metaKey: boolean }): boolean =>
  desk().drawing !== (event.ctrlKey || event.metaKey);

/** Say what went wrong where nothing nearer can say it. */
export function complain(thrown: unknown): void {
  set({ notice: { text: sentence(thrown) } });
}

let visits = 0;

/** The desk goes to a take: what was asked for before is for another visit. */
export function beginVisit(): void {
  visits++;
}

/** To be asked when an answer has come: is this still the visit on which it was asked for? */
export function visit(): () => boolean {
  const mine = visits;
  return () => mine === visits;
}

export const takePath = () => ({ take_id: desk().score?.id ?? "" });

/** Look otherwise: a pure change of the camera. */
export function look(change: (camera: Camera, score: Score) => Camera): void {
  const { camera, score } = desk();
  if (!score) return;
  const changed = change(camera, score);
  const moved = (Object.keys(camera) as (keyof Camera)[]).some((key) => camera[key] !== changed[key]);
  if (!moved) return;
  const sameRows = camera.top === changed.top && camera.row === changed.row;
  set({ camera: changed, rowsFit: desk().rowsFit && sameRows });
}

export function resize(size: Partial<Pick<Camera, "width" | "notesHeight" | "laneHeight">>): void {
  const { camera, score, rowsFit } = desk();
  const resized = { ...camera, ...size };
  if (!score) set({ camera: resized });
  else set({ camera: rowsFit ? showingRows(resized, score, frontParts()) : held(resized, score) });
}
