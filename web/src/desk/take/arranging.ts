/** Opening a take, and arranging the desk: which parts are in front, what they are called, which lanes are open. */
import {
  answered,
  api,
  type Delta,
  type DeskView,
  type LaneKind,
  type Schemas,
  sentence,
} from "../../api/client";
import { noneOf, type PartScore, type Score, scoreOf, velocitiesOf } from "../../score/score";
import { between } from "../../ui/numbers";
import { showing, showingRows, withRows } from "../page/camera";
import { readSound } from "./audio";
import { chooseNone } from "./choosing";
import { allWritten, close, forget, open, readLanes, tryAgain } from "./shaping";
import {
  type Arrangement,
  beginVisit,
  cleared,
  complain,
  desk,
  frontParts,
  leadPart,
  look,
  set,
  setLayers,
  takePath,
  visit,
  type Wishes,
} from "./state";
import { takeUp } from "./unsaved";

const OPENING_BARS = 16;
const SAVE_MS = 400;
export const DYES = ["indigo", "walnut", "verdigris", "orchil", "weld", "madder", "woad", "oakgall"] as const;

export async function openTake(takeId: string): Promise<void> {
  beginVisit();
  const isSameVisit = visit();
  // What was done on the last visit is kept first: it belongs to that take, which may be this one.
  close();
  await Promise.all([keepArrangement(), allWritten()]);
  if (!isSameVisit()) return;
  forget();
  set({ ...cleared, followsHead: true });
  void readSound(takeId);
  try {
    const params = { path: { take_id: takeId } };
    const [view, wishes, kinds, scales] = await Promise.all([
      answered<DeskView>(api.GET("/api/takes/{take_id}/view", { params })),
      answered<Wishes>(api.GET("/api/preferences")),
      answered<LaneKind[]>(api.GET("/api/lanes")),
      answered<Schemas["ScaleView"][]>(api.GET("/api/scales")),
    ]);
    if (!isSameVisit()) return;
    const score = scoreOf(view);
    set({
      score,
      name: view.name,
      history: view.history,
      layers: { ...cleared.layers, kept: { velocities: velocitiesOf(view), lanes: new Map() } },
      chosen: noneOf(score),
      arrangement: view.arrangement,
      wishes,
      kinds: new Map(kinds.map((kind) => [kind.key, kind])),
      scales,
      notice: view.remarks.length ? { text: `Read with remarks. ${view.remarks.join(" ")}` } : null,
    });
    toFront(
      Math.max(
        score.parts.findIndex((part) => part.start.length),
        0,
      ),
    );
    look((camera, whole) => showing(camera, whole, 0, whole.bars.start[OPENING_BARS] ?? whole.end));
    takeUp();
  } catch (thrown) {
    if (isSameVisit()) set({ failure: sentence(thrown) });
  }
}

// ---- parts

/** One part to the front; with `add`, beside those that are there (or away from them). */
export function toFront(part: number, add = false): void {
  const { score, fronts } = desk();
  if (!score?.parts[part]) return;
  let next: readonly number[] = [part];
  if (add) next = fronts.includes(part) ? fronts.filter((one) => one !== part) : [...fronts, part];
  if (!next.length) return;
  const { kept } = desk().layers;
  const lead = fronts[0] !== next[0] || !kept.lanes.size;
  set({ fronts: next, hidden: desk().hidden.filter((one) => !next.includes(one)) });
  close();
  chooseNone();
  arrangeRows(desk().score?.parts[next[0]!]?.drum ? "used" : next.length === 1 ? "all" : desk().rows);
  if (!lead) return;
  setLayers({ kept: { ...kept, lanes: new Map() } });
  void showLanes();
}

/** Open a stroke of the history, with a part that it acts on in front. */
export async function openStroke(number: number): Promise<void> {
  const parts = desk().history.strokes.find((one) => one.number === number)?.mark.parts ?? [];
  if (parts.length && !parts.some((part) => desk().fronts.includes(part))) toFront(parts[0]!);
  await open(number);
}

export function allToFront(): void {
  const { score } = desk();
  if (!score) return;
  set({ fronts: score.parts.map((part) => part.id), hidden: [] });
  close();
  chooseNone();
  arrangeRows("all");
}

/** Shown pale behind, or not at all. */
export function showBehind(part: number, shown: boolean): void {
  const others = desk().hidden.filter((one) => one !== part);
  set({ hidden: shown ? others : [...others, part] });
}

/** All rows, or only those that the parts in front use; then all of what they play in sight. */
export function arrangeRows(rows: "all" | "used"): void {
  const parts = frontParts();
  const used =
    rows === "used" ? [...new Set(parts.flatMap((part) => [...part.pitch]))].sort((a, b) => a - b) : null;
  set({ rows });
  look((camera, score) => showingRows(withRows(camera, used?.length ? used : null), score, parts));
  set({ rowsFit: true });
}

export const partName = (part: PartScore, arrangement: Arrangement = desk().arrangement) =>
  arrangement.parts?.[part.id]?.name || part.name;

export const partDye = (part: PartScore, arrangement: Arrangement = desk().arrangement) =>
  arrangement.parts?.[part.id]?.dye || part.dye;

/** The name of a row: a voice of a drum part, or a note. */
export function rowName(part: PartScore | undefined, pitch: number): string {
  const { arrangement, score } = desk();
  if (!part?.drum) return noteName(pitch);
  return (
    arrangement.parts?.[part.id]?.voices?.[pitch] || part.voices[pitch] || (score?.noteNames[pitch] ?? "")
  );
}

/** A note by the player's wish for middle C. */
export function noteName(pitch: number): string {
  const { score, wishes } = desk();
  const name = score?.noteNames[pitch] ?? "";
  const shift = (wishes.middle_c ?? 4) - 4;
  return shift ? name.replace(/-?\d+$/, (octave) => String(Number(octave) + shift)) : name;
}

export type Route = NonNullable<NonNullable<Arrangement["parts"]>[string]["routes"]>[number];

/** What the lanes of a part also move in the practice synth. */
export const routesOf = (part: number, arrangement: Arrangement = desk().arrangement): readonly Route[] =>
  arrangement.parts?.[part]?.routes ?? [];

export function renamePart(
  part: number,
  look_: {
    name?: string;
    dye?: string;
    voices?: Record<number, string>;
    routes?: Route[];
    /** The key from which on notes are written for the right hand; null: as the page would have it. */
    split?: number | null;
  },
): void {
  const { arrangement } = desk();
  const before = arrangement.parts?.[part] ?? { name: "", dye: "", voices: {}, routes: [] };
  const voices = { ...before.voices, ...look_.voices };
  rearrange({ ...arrangement, parts: { ...arrangement.parts, [part]: { ...before, ...look_, voices } } });
}

// ---- lanes

export type LaneLook = NonNullable<Arrangement["lanes"]>[string][number];
const FIRST_HEIGHT = 140;

/** The lanes of the leading part in the player's order: those arranged before, then the others that carry data. */
export function lanesShown(arrangement: Arrangement, part: PartScore | undefined): LaneLook[] {
  if (!part) return [];
  const arranged = arrangement.lanes?.[part.id] ?? [];
  const known = new Set(arranged.map((lane) => lane.key));
  const others = part.lanes.filter((lane) => !known.has(lane.key));
  return [...arranged, ...others.map(({ key }) => newLook(key))];
}

const newLook = (key: string): LaneLook => ({ key, open: false, hidden: false, height: FIRST_HEIGHT });

/** Whether a lane is set once and for all: then it shares a line with others of its kind, until it is opened. */
export function isSetting(look: LaneLook, part: PartScore | undefined): boolean {
  const head = part?.lanes.find(({ key }) => key === look.key);
  return !look.open && head !== undefined && head.lowest === head.highest;
}

export function changeLane(key: string, change: Partial<LaneLook>): void {
  arrangeLanes((lanes) => {
    const found = lanes.some((lane) => lane.key === key);
    const all = found ? lanes : [...lanes, newLook(key)];
    return all.map((lane) => (lane.key === key ? { ...lane, ...change } : lane));
  });
}

/** How much of the height the velocity lane takes. */
export function shareOut(velocity_share: number): void {
  rearrange({ ...desk().arrangement, velocity_share });
}

export function moveLane(key: string, by: number): void {
  arrangeLanes((lanes) => {
    const from = lanes.findIndex((lane) => lane.key === key);
    const to = between(from + by, 0, lanes.length - 1);
    const moved = [...lanes];
    moved.splice(to, 0, ...moved.splice(from, 1));
    return moved;
  });
}

/** Take an empty lane off the desk again. */
export function dropLane(key: string): void {
  arrangeLanes((lanes) => lanes.filter((lane) => lane.key !== key));
}

function arrangeLanes(change: (lanes: LaneLook[]) => LaneLook[]): void {
  const { arrangement } = desk();
  const part = leadPart();
  if (!part) return;
  const lanes = change(lanesShown(arrangement, part));
  rearrange({ ...arrangement, lanes: { ...arrangement.lanes, [part.id]: lanes } });
}

let lanesAsked = 0;

/** The nodes of the leading part's lanes, from now on. */
async function showLanes(): Promise<void> {
  const asked = ++lanesAsked;
  const part = leadPart();
  if (!part) return;
  try {
    const lanes = await readLanes(part.id);
    if (asked !== lanesAsked) return;
    const { kept, tried } = desk().layers;
    setLayers({ kept: { ...kept, lanes }, tried: tried && { ...tried, lanes } });
    tryAgain();
  } catch (thrown) {
    set({ notice: { text: sentence(thrown), action: { label: "Try again", run: () => void showLanes() } } });
  }
}

/** The take has changed: lanes that are gone close quietly, and notes that have come may need rows that were not in use. */
export function settle(delta: Delta | null, was: Score | null): void {
  const part = leadPart();
  if (!part) return;
  if (!delta || !was) void showLanes();
  else {
    const now = new Set(part.lanes.map((lane) => lane.key));
    const before = was.parts[part.id];
    const gone = before?.lanes.filter((lane) => !now.has(lane.key)) ?? [];
    for (const lane of lanesShown(desk().arrangement, before)) {
      if (lane.open && gone.some((one) => one.key === lane.key)) changeLane(lane.key, { open: false });
    }
  }
  if ((!delta || delta.whole.length) && desk().rows === "used") arrangeRows("used");
}

// ---- keeping

let saving = 0;
let unkept: { params: { path: ReturnType<typeof takePath> }; body: Arrangement } | null = null;

/** Change the arrangement, and keep it with the take a moment after the last change. */
function rearrange(arrangement: Arrangement): void {
  set({ arrangement });
  unkept = { params: { path: takePath() }, body: arrangement };
  window.clearTimeout(saving);
  saving = window.setTimeout(() => void keepArrangement(), SAVE_MS);
}

/** A request that is to outlive the page has to be told so (`keepalive`). */
async function putArrangement(keepalive = false): Promise<void> {
  if (!unkept) return;
  const asked = api.PUT("/api/takes/{take_id}/arrangement", { ...unkept, keepalive });
  unkept = null;
  await answered(asked);
}

/** Keep now what waits for its moment. */
async function keepArrangement(): Promise<void> {
  window.clearTimeout(saving);
  await inOrder(() => putArrangement());
}

let lastKept: Promise<unknown> = Promise.resolve();

/** What is kept as a whole is sent one after another: an older one must not come last. */
async function inOrder(keep: () => Promise<unknown>): Promise<void> {
  lastKept = lastKept.then(keep).catch(complain);
  await lastKept;
}

window.addEventListener("pagehide", () => void putArrangement(true).catch(complain));

export function wish(change: Partial<Wishes>): void {
  const wishes = { ...desk().wishes, ...change };
  set({ wishes });
  void inOrder(() => answered(api.PUT("/api/preferences", { body: wishes })));
}
