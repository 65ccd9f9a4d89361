/** Strokes on the open take: tried, kept, opened again, undone. */
import {
  answered,
  api,
  type Delta,
  type DeskView,
  type Preview,
  type Schemas,
  type Stroke,
  type StrokeView,
  type Written,
} from "../../api/client";
import { specOf } from "../../api/strokes";
import { nodesOf, withLaneChanges } from "../../score/lanes";
import { isOfNotes, ownOf, withOwnChanges } from "../../score/own";
import { contourOf } from "../../score/part";
import {
  type Contour,
  carried,
  carriedVelocities,
  type Score,
  scoreOf,
  velocitiesOf,
  withChanges,
  withDelta,
} from "../../score/score";
import { rightTick } from "../page/camera";
import { Attempts, type Page, type Server } from "./attempts";
import { choose, chosenOfLead, factsWhere, readFacts, sameFacts, tellFacts } from "./choosing";
import { hearAgain } from "./hearing";
import { historyAfter } from "./histories";
import type { Compared, Lanes, Layer, Layers } from "./layers";
import { read, tell } from "./reading";
import { complain, desk, type Shaping, set, setLayers, takePath, useDesk, visit } from "./state";

const params = () => ({ path: takePath() });

/**
 * Read the take again. What is being done here stays; with `newest`, notes that have come are chosen, and those of the
 * chosen that have changed with them.
 */
export async function reopen(newest = false, changed: readonly [number, number][] = []): Promise<void> {
  const isSameVisit = visit();
  const view = await answered<DeskView>(api.GET("/api/takes/{take_id}/view", { params: params() }));
  if (!isSameVisit()) return;
  // A stroke may have been kept since this was read.
  if (view.history.revision < desk().history.revision) return reopen(newest, changed);
  const { score: old, chosen, layers } = desk();
  const score = scoreOf(view);
  // Columns of another score do not fit: what is shown beside what is kept is asked for anew.
  const fresh: Layers = {
    kept: { ...layers.kept, velocities: velocitiesOf(view) },
    tried: null,
    before: null,
    compared: null,
  };
  set({ score, history: view.history, layers: fresh });
  if (old) choose(carried(old, chosen, score, newest, changed));
  attempts.tryAgain();
}

/** The take has changed without a stroke of this page: it is read again, and whoever follows it is told. */
export async function readAnew(): Promise<void> {
  await reopen(true);
  for (const listener of listeners) listener(null, null);
}

// ---- where strokes are tried, written and seen

/** Of what is tried, notes between these ticks are told: those in sight, and some beside them. */
let sight: [number, number] = [0, 0];

const server: Server = {
  tries({ stroke, pull, number }, whole) {
    const { history, fronts, camera } = desk();
    const [left, right] = [camera.left, rightTick(camera)];
    const beside = (right - left) / 4;
    sight = [Math.max(Math.floor(left - beside), 0), Math.ceil(right + beside)];
    const body = { revision: history.revision, stroke, number, pull, part: fronts[0], sight, whole };
    return answered<Preview>(api.POST("/api/takes/{take_id}/preview", { params: params(), body }));
  },
  async keeps({ stroke, number }) {
    const sight = looked();
    const body = { ...sight.asked, stroke };
    const written = await answered<Written>(
      number === null
        ? api.POST("/api/takes/{take_id}/strokes", { params: params(), body })
        : api.PATCH("/api/takes/{take_id}/strokes/{number}", {
            params: { path: { ...takePath(), number } },
            body,
          }),
    );
    const { before, kept } = desk().layers;
    await taken(written, sight, before ?? kept).catch(complain);
    return number ?? newest(stroke);
  },
};

/** The number of a stroke that was just added: the last one, or the standing one whose place it has taken. */
function newest(stroke: Stroke): number | null {
  const { strokes } = desk().history;
  const same = strokes.filter((one) => one.stroke.kind === stroke.kind);
  return (same.sort((a, b) => a.step - b.step).at(-1) ?? strokes.at(-1))?.number ?? null;
}

const page: Page = {
  opened({ stroke, number }, mark) {
    set({ shaping: { stroke, number, mark, problem: null, field: null } });
  },
  altered({ stroke, number }) {
    // What was wrong is said until the answer comes, so that nothing moves about under the pointer in between.
    set({ shaping: { ...(desk().shaping as Shaping), stroke, number } });
  },
  tried({ stroke, number }, { delta, facts, mark, saving, beyond, also, proof, idle }) {
    const { score, history, layers } = desk();
    if (!score) return;
    const { kept } = layers;
    const { changes, contours } = delta;
    setLayers({
      tried: {
        ...withDeltaIn(kept, score, delta, true),
        shapes: new Map(
          contours.map(({ part, first, contour }) => [
            part,
            { first, contour: contourOf(contour) as Contour },
          ]),
        ),
        coming: [...changes.added, ...changes.moved],
        revision: history.revision,
      },
      before: layers.before ?? kept,
    });
    showFrame(delta.frame);
    if (facts) tellFacts(facts);
    set({
      shaping: {
        stroke,
        number,
        mark,
        problem: null,
        field: null,
        found: { saving, beyond, also, proof, idle },
      },
    });
    hearAgain();
  },
  impossible(_, { message, field, offer }) {
    set({ shaping: { ...(desk().shaping as Shaping), problem: message, field, offer, mark: null } });
    dropTried();
  },
  kept({ number }) {
    const found = desk().history.strokes.find((one) => one.number === number);
    if (!found) return;
    // What was found of it while it was tried holds still.
    const told = desk().shaping?.found;
    attempts.open(found.stroke, found);
    set({ shaping: { ...(desk().shaping as Shaping), found: told } });
  },
  async surprised() {
    await reopen().catch(complain);
    for (const listener of listeners) listener(null, null);
  },
  told(text, label, run) {
    set({ notice: { text, action: label && run ? { label, run } : undefined } });
  },
  saving(changes) {
    set({ saving: changes });
  },
};

const attempts = new Attempts(server, page);

// ---- what the hand does

/** Show what a stroke would do; `pull` is the place that its line is drawn to, `of` its number in the history. */
export function preview(
  stroke: Stroke,
  pull?: [number, number],
  answered_?: () => void,
  of: number | null = null,
): void {
  attempts.preview(stroke, pull, answered_, of);
}

export const tryAgain = () => attempts.tryAgain();

/** What comes into sight is told of what is tried, too. The result ends this. */
export const watchSight = () =>
  useDesk.subscribe(({ camera, layers }, was) => {
    if (camera === was.camera || !layers.tried) return;
    if (camera.left < sight[0] || rightTick(camera) > sight[1]) tryAgain();
  });

export const keep = () => attempts.keep();
export const keepAgain = (stroke: Stroke, number: number | null) => attempts.keepAgain(stroke, number);
export const unwritten = () => attempts.unwritten();
export const allWritten = () => attempts.allWritten();

/** Before the take goes out: what is tried is kept, as by any other act, and all of it is written. */
export const settled = () => attempts.settle();
export const forget = () => attempts.forget();

type Frame = NonNullable<Delta["frame"]>;
/** Bars and tempo as they are kept, while others are tried, and those. */
let frames: { kept: Frame; tried: Frame } | null = null;

/** Bars, tempo and length as a stroke would have them; as they are kept, where it changes none. */
function showFrame(frame: Frame | null): void {
  const { score } = desk();
  // What was read anew meanwhile is as it is kept.
  if (frames && score?.bars !== frames.tried.bars) frames = null;
  const kept = frames?.kept;
  if (!score || !(frame ?? kept)) return;
  const { end, seconds, bars, tempo, flags } = score;
  frames = frame && { kept: kept ?? { end, seconds, bars, tempo, flags }, tried: frame };
  // Flags are told only where they may be others.
  set({ score: { ...score, ...kept, ...frame } });
}

/** Nothing is tried any longer. */
function dropTried(): void {
  setLayers({ tried: null });
  showFrame(null);
}

/** Open a stroke of the history, to be changed. */
export async function open(number: number): Promise<void> {
  const found = desk().history.strokes.find((one) => one.number === number);
  if (!found || !desk().score) return;
  if (desk().shaping?.number !== number) close();
  const mine = attempts.open(found.stroke, found);
  dropTried();
  void readFacts();
  const before = (await layerBefore(number)) ?? desk().layers.kept;
  if (attempts.isOpen(mine)) setLayers({ before });
}

/** The take as it was before a stroke (0: the newest), beside what is seen; null where that cannot be had. */
async function layerBefore(number: number): Promise<Compared | null> {
  const part = desk().fronts[0];
  try {
    const delta = await read<Delta>(["before", number, part], () =>
      api.GET("/api/takes/{take_id}/before", {
        params: { ...params(), query: { number: number || undefined, part } },
      }),
    );
    const { score, layers, fronts } = desk();
    if (!score) return null;
    return {
      ...withDeltaIn(layers.kept, score, delta, fronts[0] === part),
      coming: [...delta.changes.added, ...delta.changes.moved],
    };
  } catch {
    return null;
  }
}

/** A layer with what differs in it; lanes only where they are those of the part that was looked at. */
function withDeltaIn(layer: Layer, score: Score, { changes, lanes, own }: Delta, isSamePart: boolean): Layer {
  return {
    velocities: withChanges(score, layer.velocities, changes),
    lanes: isSamePart
      ? withOwnChanges(lanes.length ? withLaneChanges(layer.lanes, lanes) : layer.lanes, own)
      : layer.lanes,
  };
}

/** Lanes of a part as they are. */
export async function readLanes(part: number): Promise<Lanes> {
  const { lanes, own } = await read<Schemas["Lanes"]>(["lanes", part], () =>
    api.GET("/api/takes/{take_id}/lanes", { params: { ...params(), query: { part } } }),
  );
  return new Map([
    ...lanes.map((lane) => [lane.key, nodesOf(lane)] as const),
    ...own.map((lane) => [lane.key, ownOf(lane)] as const),
  ]);
}

let comparisons = 0;

/** Show the take as it was before a stroke (0: before the newest); or, with null, as it is. */
export async function compare(against: number | null): Promise<void> {
  const mine = ++comparisons;
  if (against === null) return setLayers({ compared: null });
  const compared = await layerBefore(against);
  if (mine === comparisons) setLayers({ compared: compared ?? { ...desk().layers.kept, coming: [] } });
}

/** Keep the open stroke, and then another that it asks for. */
export async function keepWith(stroke: Stroke): Promise<void> {
  if (desk().shaping?.number === null) await keep();
  await apply(stroke);
}

/** Let go of the open stroke, then of the selection. */
export function letGo(): void {
  attempts.forget();
  left();
}

function left(): void {
  set({ shaping: null, box: null, tip: null });
  dropTried();
  setLayers({ before: null });
  void readFacts();
}

/** What is open gives way to what begins: it is kept, where it can be and does anything. */
export function close(): void {
  attempts.close();
  left();
}

/** What was drawn is meant, unless nothing could be made of it. */
export function finish(): void {
  if (attempts.isImpossible()) letGo();
  else if (desk().shaping) void keep();
}

/** Let go of the open stroke once what was changed in it last is kept. */
export async function done(): Promise<void> {
  const { shaping } = desk();
  await attempts.inTurn(async () => {
    if (desk().shaping?.number === shaping?.number) letGo();
  });
}

/** Keep a stroke at once, without a gesture. */
export async function apply(stroke: Stroke): Promise<void> {
  close();
  const mine = await attempts.keepNow(stroke);
  if (mine.problem && attempts.isOpen(mine)) {
    letGo();
    set({ notice: { text: mine.problem } });
  }
}

// ---- the history

type Change = (asked: Looked["asked"]) => Promise<{ data?: unknown; error?: unknown; response: Response }>;

async function write(change: Change): Promise<void> {
  const sight = looked();
  try {
    await taken(await answered<Written>(change(sight.asked)), sight, null).catch(complain);
  } catch (thrown) {
    await attempts.refused(thrown);
  }
}

const inTurn = (change: Change) => attempts.inTurn(() => write(change));

interface Changed {
  number: number;
  stroke?: Stroke;
  on?: boolean;
  begins?: number;
}

/** Strokes of the history that change together: each its numbers, or on or off. */
export async function changeStrokes(changes: readonly Changed[]): Promise<void> {
  close();
  for (const change of changes) await changeStroke(change);
}

async function changeStroke({ number, ...other }: Changed) {
  const path = { ...takePath(), number };
  await inTurn((asked) =>
    api.PATCH("/api/takes/{take_id}/strokes/{number}", { params: { path }, body: { ...asked, ...other } }),
  );
}

export const switchStroke = (number: number, on: boolean) => changeStroke({ number, on });

/** The same stroke from another tick on. */
export const moveStroke = (number: number, begins: number) => changeStrokes([{ number, begins }]);

/** A name of the player's own for a stroke; an empty one takes it away. */
export const nameStroke = ({ number, stroke }: StrokeView, name: string) =>
  changeStrokes([{ number, stroke: { ...stroke, called: name.trim() || null } }]);

/** An amount of a stroke off, or as it usually is. */
export function turnDial({ number, stroke }: StrokeView, field: string, on: boolean) {
  const usual = specOf(stroke.kind).fields[field]?.default ?? null;
  return changeStrokes([{ number, stroke: { ...stroke, [field]: on ? usual : 0 } as Stroke }]);
}

export async function deleteStroke(number: number): Promise<void> {
  if (desk().shaping?.number === number) letGo();
  else close();
  const path = { ...takePath(), number };
  await inTurn((body) => api.DELETE("/api/takes/{take_id}/strokes/{number}", { params: { path }, body }));
}

export async function undo(): Promise<void> {
  await stepTo("/api/takes/{take_id}/undo", "can_undo");
}

export async function redo(): Promise<void> {
  await stepTo("/api/takes/{take_id}/redo", "can_redo");
}

/** To any point of the history. */
export async function jump(step: number): Promise<void> {
  takeBack();
  await inTurn((asked) =>
    api.POST("/api/takes/{take_id}/jump", { params: params(), body: { ...asked, step } }),
  );
}

/** What is tried and not kept is taken back, and can be had again; false where nothing is. */
function takeBack(): boolean {
  const { shaping } = desk();
  const tried = attempts.isTried() ? shaping?.stroke : undefined;
  letGo();
  if (!tried || shaping?.number !== null) return false;
  const again = () => {
    close();
    preview(tried);
  };
  set({ notice: { text: "What was tried is taken back.", action: { label: "Bring it back", run: again } } });
  return true;
}

async function stepTo(
  address: "/api/takes/{take_id}/undo" | "/api/takes/{take_id}/redo",
  left: "can_undo" | "can_redo",
): Promise<void> {
  // The first step back is what is only tried.
  if (left === "can_undo" && takeBack()) return;
  await attempts.inTurn(async () => {
    letGo();
    if (!desk().history[left]) return;
    await write((body) => api.POST(address, { params: params(), body }));
  });
}

/** Told of a change: what differs from the score that was; null where the take was read anew. */
type Listener = (delta: Delta | null, was: Score | null) => void;
const listeners = new Set<Listener>();

/** Called whenever the take has changed for good. */
export function onWritten(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

/** What is looked at when a change is asked for: its answer tells that, and no more. */
function looked() {
  const { history, fronts, activeLane } = desk();
  const where = factsWhere();
  const own = isOfNotes(activeLane) ? { lane: activeLane, where: chosenOfLead() } : null;
  const asked = { revision: history.revision, part: fronts[0], where, own };
  return { asked, isSame: sameFacts() };
}
type Looked = ReturnType<typeof looked>;

/** One answer brings all that is drawn on; `before`: what is seen beside it from now on. */
async function taken(written: Written, sight: Looked, before: Layer | null): Promise<void> {
  // What it is compared with is the take as it was kept.
  showFrame(null);
  const { score: was, layers, history, fronts, chosen } = desk();
  if (!was) return;
  // Of a change of another history than the one that is known here nothing can be made.
  if (written.history.revision !== history.revision + 1) return readAnew();
  const { changes, whole } = written.delta;
  const score = withDelta(was, written.delta);
  const isSamePart = fronts[0] === sight.asked.part;
  const carry = (layer: Layer): Layer => ({
    ...layer,
    velocities: carriedVelocities(was, layer.velocities, score, whole),
  });
  const kept = withDeltaIn(carry(layers.kept), score, written.delta, isSamePart);
  set({
    score,
    history: historyAfter(history, written.history),
    layers: { kept, tried: null, before: before && carry(before), compared: null },
  });
  if (whole.length) {
    const moved = changes.moved.flatMap(({ notes }) => notes as [number, number][]);
    choose(carried(was, chosen, score, changes.added.length > 0, moved));
  } else if (!sight.isSame()) readFacts();
  else tellFacts(written.facts);
  const { own } = sight.asked;
  if (own && written.own_facts) tell(["own-facts", own.lane, own.where], written.own_facts);
  for (const listener of listeners) listener(written.delta, was);
}
