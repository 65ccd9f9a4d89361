/** The desk's state, and the few things that can be done to it. Musical values come from the server, always. */
import { create } from "zustand";
import {
  answered,
  api,
  type Changes,
  type DeskView,
  type Facts,
  type History,
  type Mark,
  type Preview,
  Refusal,
  type Stroke,
  sentence,
  type Where,
  type Written,
} from "../api/client";
import type { NoticeText } from "../parts/Notice";
import { type Camera, held, showing, showingRows, startCamera } from "./camera";
import {
  type PartScore,
  rangesOf,
  type Score,
  scoreOf,
  type Velocities,
  velocitiesOf,
  withChanges,
} from "./score";

/** A stroke that is open: being drawn (no number yet), or one of the history whose numbers are being changed. */
export interface Shaping {
  stroke: Stroke;
  number: number | null;
  mark: Mark | null;
  problem: string | null;
  field: string | null;
}

export interface Box {
  stave: "notes" | "lane";
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

interface DeskState {
  score: Score | null;
  name: string;
  remarks: string[];
  history: History;
  /** Velocities as kept; as a preview has them; as they were before the open stroke; before the newest stroke. */
  kept: Velocities;
  live: Velocities | null;
  ghost: Velocities | null;
  earlier: Velocities | null;
  front: number;
  chosen: Uint8Array;
  chosenCount: number;
  span: [number, number] | null;
  facts: Facts | null;
  shaping: Shaping | null;
  camera: Camera;
  box: Box | null;
  hint: string;
  notice: NoticeText | null;
  failure: string | null;
}

const noHistory: History = { revision: 0, strokes: [], undone: [], can_undo: 0, can_redo: 0 };
const blank: DeskState = {
  score: null,
  name: "",
  remarks: [],
  history: noHistory,
  kept: [],
  live: null,
  ghost: null,
  earlier: null,
  front: 0,
  chosen: new Uint8Array(0),
  chosenCount: 0,
  span: null,
  facts: null,
  shaping: null,
  camera: startCamera,
  box: null,
  hint: "",
  notice: null,
  failure: null,
};

export const useDesk = create<DeskState>()(() => blank);
export const { getState: desk, setState: set } = useDesk;

export const frontPart = (state: DeskState = desk()): PartScore | undefined =>
  state.score?.parts[state.front];

const path = () => ({ take_id: desk().score?.id ?? "" });

// ---- opening

const OPENING_BARS = 16;

export async function openTake(takeId: string): Promise<void> {
  set({ ...blank, camera: desk().camera });
  try {
    const view = await answered<DeskView>(
      api.GET("/api/takes/{take_id}/view", { params: { path: { take_id: takeId } } }),
    );
    const score = scoreOf(view);
    const front = Math.max(
      score.parts.findIndex((part) => part.start.length),
      0,
    );
    set({
      score,
      name: view.name,
      remarks: view.remarks,
      history: view.history,
      kept: velocitiesOf(view),
      notice: view.remarks.length ? { text: `Read with remarks. ${view.remarks.join(" ")}` } : null,
    });
    toFront(front);
    look((camera, whole) => showing(camera, whole, 0, whole.bars.start[OPENING_BARS] ?? whole.end));
  } catch (thrown) {
    set({ failure: sentence(thrown) });
  }
}

/** Read the take again, after it was changed elsewhere. What is being done here stays. */
async function reopen(): Promise<void> {
  const view = await answered<DeskView>(api.GET("/api/takes/{take_id}/view", { params: { path: path() } }));
  set({ score: scoreOf(view), history: view.history, kept: velocitiesOf(view), live: null, ghost: null });
}

// ---- looking

export function look(change: (camera: Camera, score: Score) => Camera): void {
  const { camera, score } = desk();
  if (!score) return;
  const changed = change(camera, score);
  const moved = (Object.keys(camera) as (keyof Camera)[]).some((key) => camera[key] !== changed[key]);
  if (moved) set({ camera: changed });
}

export function fitAll(): void {
  look((camera, score) => showing(camera, score, 0, score.end));
}

export function resize(size: Partial<Pick<Camera, "width" | "notesHeight" | "laneHeight">>): void {
  const { camera, score } = desk();
  const resized = { ...camera, ...size };
  set({ camera: score ? held(resized, score) : resized });
}

export function toFront(part: number): void {
  const score = desk().score;
  if (!score) return;
  const notes = score.parts[part]?.start.length ?? 0;
  set({ front: part, chosen: new Uint8Array(notes), chosenCount: 0, facts: null });
  letGo();
  look((camera) => (score.parts[part] ? showingRows(camera, score, score.parts[part]) : camera));
}

// ---- selecting

let factsAsked = 0;

export function choose(chosen: Uint8Array): void {
  let chosenCount = 0;
  for (const one of chosen) chosenCount += one;
  set({ chosen, chosenCount });
  void readFacts();
}

export function chooseSpan(span: [number, number] | null): void {
  set({ span });
  void readFacts();
}

export function chooseAll(): void {
  choose(new Uint8Array(desk().chosen.length).fill(1));
}

/** What a stroke would act on: the chosen notes of the part in front, the span, or both narrowing each other. */
export function selected(): Where | null {
  const { chosen, chosenCount, span } = desk();
  const part = frontPart();
  if (!part || (!chosenCount && !span)) return null;
  return {
    parts: [part.id],
    ...(chosenCount ? { notes: rangesOf(part, chosen) } : {}),
    ...(span ? { span } : {}),
  };
}

async function readFacts(): Promise<void> {
  const asked = ++factsAsked;
  const where = desk().shaping?.stroke.where ?? selected();
  if (!where) {
    set({ facts: null });
    return;
  }
  let facts: Facts | null = null;
  try {
    const body = { revision: desk().history.revision, where };
    facts = await answered<Facts>(api.POST("/api/takes/{take_id}/facts", { params: { path: path() }, body }));
  } catch {
    // A selection without notes has no facts.
  }
  if (asked === factsAsked) set({ facts });
}

// ---- shaping

let inFlight = false;
let waiting: (() => Promise<void>) | null = null;
let epoch = 0;

/** Show what a stroke would do. The latest one wins: of those asked while one is under way, only the last is sent. */
export function preview(stroke: Stroke, pull?: [number, number]): void {
  const before = desk().shaping;
  set({ shaping: { mark: null, number: null, ...before, stroke, problem: null, field: null } });
  const mine = epoch;
  waiting = async () => {
    const { history, score, shaping } = desk();
    if (!score || !shaping || mine !== epoch) return;
    try {
      const body = { revision: history.revision, stroke, number: shaping.number, pull: pull ?? null };
      const answer = await answered<Preview>(
        api.POST("/api/takes/{take_id}/preview", { params: { path: path() }, body }),
      );
      if (mine !== epoch || !desk().shaping) return;
      set({
        live: withChanges(score, desk().kept, answer.changes),
        ghost: desk().ghost ?? desk().kept,
        facts: answer.facts,
        shaping: {
          ...(desk().shaping as Shaping),
          stroke: waiting ? stroke : answer.stroke,
          mark: answer.mark,
        },
      });
    } catch (thrown) {
      if (mine === epoch) await refused(thrown);
    }
  };
  if (!inFlight) void drain();
}

async function drain(): Promise<void> {
  inFlight = true;
  while (waiting) {
    const next = waiting;
    waiting = null;
    await next();
  }
  inFlight = false;
}

/** Wait until the last preview that was asked for has been answered. */
export async function settled(): Promise<void> {
  while (inFlight) await new Promise((resolve) => setTimeout(resolve, 2));
}

/** Keep the stroke that is open: as a new one, or as new numbers for the one it was opened from. It stays open. */
export async function keep(): Promise<void> {
  await settled();
  const { shaping, history } = desk();
  if (!shaping || shaping.problem) return;
  epoch++;
  const { stroke, number } = shaping;
  const body = { revision: history.revision, stroke };
  const written = await write(
    () =>
      number === null
        ? api.POST("/api/takes/{take_id}/strokes", { params: { path: path() }, body })
        : api.PATCH("/api/takes/{take_id}/strokes/{number}", {
            params: { path: { ...path(), number } },
            body,
          }),
    { label: "Keep it all the same", run: () => void keep() },
  );
  const kept = number ?? desk().history.strokes.at(-1)?.number;
  // Unless it was let go of in the meantime, the stroke stays open under the hand.
  if (written && kept !== undefined && desk().shaping) await open(kept);
}

/** Open a stroke of the history, to be changed. */
export async function open(number: number): Promise<void> {
  const found = desk().history.strokes.find((one) => one.number === number);
  const { score } = desk();
  if (!found || !score) return;
  const part = found.mark.parts[0];
  if (part !== undefined && part !== desk().front) toFront(part);
  epoch++;
  set({
    shaping: { stroke: found.stroke, number, mark: found.mark, problem: null, field: null },
    live: null,
  });
  void readFacts();
  const ghost = await before(number);
  if (desk().shaping?.number === number) set({ ghost });
}

/** The velocities as they were before a stroke (the newest where none is named). */
export async function before(number?: number): Promise<Velocities> {
  const { score, kept } = desk();
  try {
    const params = { path: path(), query: { number } };
    const changes = await answered<Changes>(api.GET("/api/takes/{take_id}/before", { params }));
    return score ? withChanges(score, kept, changes) : kept;
  } catch {
    return kept;
  }
}

/** Let go of the open stroke, then of the selection. */
export function letGo(): void {
  epoch++;
  waiting = null;
  set({ shaping: null, live: null, ghost: null, box: null });
  void readFacts();
}

/** Keep a stroke at once, without a gesture. */
export async function apply(stroke: Stroke): Promise<void> {
  letGo();
  await settled();
  set({ shaping: { stroke, number: null, mark: null, problem: null, field: null } });
  await keep();
  const problem = desk().shaping?.problem;
  if (!problem) return;
  letGo();
  set({ notice: { text: problem } });
}

export async function switchStroke(number: number, on: boolean): Promise<void> {
  const body = { revision: desk().history.revision, on };
  await write(() =>
    api.PATCH("/api/takes/{take_id}/strokes/{number}", { params: { path: { ...path(), number } }, body }),
  );
}

export async function deleteStroke(number: number): Promise<void> {
  letGo();
  const query = { revision: desk().history.revision };
  await write(() =>
    api.DELETE("/api/takes/{take_id}/strokes/{number}", { params: { path: { ...path(), number }, query } }),
  );
}

export async function undo(): Promise<void> {
  await stepTo("/api/takes/{take_id}/undo", desk().history.can_undo);
}

export async function redo(): Promise<void> {
  await stepTo("/api/takes/{take_id}/redo", desk().history.can_redo);
}

async function stepTo(address: "/api/takes/{take_id}/undo" | "/api/takes/{take_id}/redo", left: number) {
  letGo();
  if (!left) return;
  const body = { revision: desk().history.revision };
  await write(() => api.POST(address, { params: { path: path() }, body }));
}

type Listener = () => void;
const listeners = new Set<Listener>();

/** Called whenever the take has changed for good, so that what is playing can follow. */
export function onWritten(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

type Asked = Promise<{ data?: unknown; error?: unknown; response: Response }>;

/** Change the history; true when the server took it. */
async function write(ask: () => Asked, again?: NoticeText["action"]): Promise<boolean> {
  try {
    const written = await answered<Written>(ask());
    taken(written.history, written.changes);
    return true;
  } catch (thrown) {
    await refused(thrown, again);
    return false;
  }
}

function taken(history: History, changes: Changes): void {
  const { score, kept } = desk();
  if (!score) return;
  set({ history, kept: withChanges(score, kept, changes), live: null, earlier: null });
  void readFacts();
  for (const listener of listeners) listener();
}

async function refused(thrown: unknown, again?: NoticeText["action"]): Promise<void> {
  if (thrown instanceof Refusal && thrown.history) {
    await reopen();
    set({ notice: { text: `${thrown.message} You see it as it is now.`, action: again } });
    for (const listener of listeners) listener();
    return;
  }
  const shaping = desk().shaping;
  const text = sentence(thrown);
  if (shaping && thrown instanceof Refusal && thrown.status === 422) {
    set({ shaping: { ...shaping, problem: text, field: thrown.field, mark: null }, live: null });
  } else {
    set({ notice: { text } });
  }
}
