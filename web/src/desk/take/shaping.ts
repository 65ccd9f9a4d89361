/** Strokes on the open take: tried, kept, opened again, undone. */
import {
  answered,
  api,
  type Changes,
  type DeskView,
  type Preview,
  type Schemas,
  type Stroke,
  type Written,
} from "../../api/client";
import { nodesOf, withLaneChanges } from "../../score/lanes";
import { ownOf, withOwnChanges } from "../../score/own";
import {
  type Contour,
  carried,
  contourOf,
  scoreOf,
  type Velocities,
  velocitiesOf,
  withChanges,
} from "../../score/score";
import { rightTick } from "../page/camera";
import { Attempts, type Page, type Server } from "./attempts";
import { choose, readFacts, tellFacts } from "./choosing";
import { hearAgain } from "./hearing";
import { historyAfter } from "./histories";
import type { Lanes, Layers } from "./layers";
import { read } from "./reading";
import { complain, desk, type Shaping, set, setLayers, takePath, visit } from "./state";

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
  for (const listener of listeners) listener(null);
}

// ---- where strokes are tried, written and seen

const server: Server = {
  tries({ stroke, pull, number }) {
    const { history, fronts, camera } = desk();
    const sight: [number, number] = [Math.floor(camera.left), Math.ceil(rightTick(camera))];
    const body = { revision: history.revision, stroke, number, pull, part: fronts[0], sight };
    return answered<Preview>(api.POST("/api/takes/{take_id}/preview", { params: params(), body }));
  },
  async keeps({ stroke, number }) {
    const { revision } = desk().history;
    const written = await answered<Written>(
      number === null
        ? api.POST("/api/takes/{take_id}/strokes", { params: params(), body: { revision, stroke } })
        : api.PATCH("/api/takes/{take_id}/strokes/{number}", {
            params: { path: { ...takePath(), number } },
            body: { revision, stroke },
          }),
    );
    await taken(written).catch(complain);
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
  tried({ stroke, number }, { changes, lanes, own, contours, facts, mark, saving, beyond, also, proof }) {
    const { score, history, layers } = desk();
    if (!score) return;
    const { kept } = layers;
    setLayers({
      tried: {
        velocities: withChanges(score, kept.velocities, changes),
        lanes: withOwnChanges(lanes.length ? withLaneChanges(kept.lanes, lanes) : kept.lanes, own),
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
    if (facts) tellFacts(facts);
    set({
      shaping: { stroke, number, mark, problem: null, field: null, found: { saving, beyond, also, proof } },
    });
    hearAgain();
  },
  impossible(_, { message, field, offer }) {
    set({ shaping: { ...(desk().shaping as Shaping), problem: message, field, offer, mark: null } });
    setLayers({ tried: null });
  },
  kept({ number }) {
    // What was there before is fetched beside: the next gesture does not wait for it.
    if (number === null) return;
    // What was found of it while it was tried holds still.
    const found = desk().shaping?.found;
    void open(number);
    const { shaping } = desk();
    if (shaping) set({ shaping: { ...shaping, found } });
  },
  async surprised() {
    await reopen().catch(complain);
    for (const listener of listeners) listener(null);
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
export const keep = () => attempts.keep();
export const keepAgain = (stroke: Stroke, number: number | null) => attempts.keepAgain(stroke, number);
export const unwritten = () => attempts.unwritten();
export const allWritten = () => attempts.allWritten();
export const forget = () => attempts.forget();

/** Open a stroke of the history, to be changed. */
export async function open(number: number): Promise<void> {
  const found = desk().history.strokes.find((one) => one.number === number);
  const { score, history, layers } = desk();
  if (!found || !score) return;
  const mine = attempts.open(found.stroke, found);
  // What has just been written is seen until its lanes have been read.
  if (layers.tried?.revision === history.revision) setLayers({ tried: null });
  void readFacts();
  const [changes, lanes] = await Promise.all([
    changesBefore(number),
    "lane" in found.stroke ? lanesBefore(number) : null,
  ]);
  const before = { velocities: velocitiesWith(changes), lanes: lanes ?? desk().layers.kept.lanes };
  if (attempts.isOpen(mine)) setLayers({ before });
}

/** What was otherwise before a stroke (the newest where none is named). */
async function changesBefore(number?: number): Promise<Changes | null> {
  try {
    return await read<Changes>(["before", number], () =>
      api.GET("/api/takes/{take_id}/before", { params: { ...params(), query: { number } } }),
    );
  } catch {
    return null;
  }
}

/** The velocities as they are, with what of them was otherwise. */
function velocitiesWith(changes: Changes | null): Velocities {
  const { score, layers } = desk();
  const { velocities } = layers.kept;
  return score && changes ? withChanges(score, velocities, changes) : velocities;
}

/** The leading part's lanes as they were before a stroke (0: the newest). */
async function lanesBefore(number: number): Promise<Lanes | null> {
  try {
    return await readLanes(desk().fronts[0], number);
  } catch {
    return null;
  }
}

/** Lanes of a part: as they are, or as they were before a stroke (0: the newest). */
export async function readLanes(part: number, before?: number): Promise<Lanes> {
  const { lanes, own } = await read<Schemas["Lanes"]>(["lanes", part, before], () =>
    api.GET("/api/takes/{take_id}/lanes", { params: { ...params(), query: { part, before } } }),
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
  const [changes, lanes] = await Promise.all([changesBefore(against || undefined), lanesBefore(against)]);
  if (mine !== comparisons) return;
  const coming = changes ? [...changes.added, ...changes.moved] : [];
  const known = lanes ?? desk().layers.kept.lanes;
  setLayers({ compared: { velocities: velocitiesWith(changes), lanes: known, coming } });
}

/** Keep the open stroke, and then another that it asks for. */
export async function keepWith(stroke: Stroke): Promise<void> {
  if (desk().shaping?.number === null) await keep();
  await apply(stroke);
}

/** Let go of the open stroke, then of the selection. */
export function letGo(): void {
  attempts.forget();
  set({ shaping: null, box: null, tip: null });
  setLayers({ tried: null, before: null });
  void readFacts();
}

/** What was drawn is meant, unless nothing could be made of it. */
export function finish(): void {
  if (desk().shaping?.problem) letGo();
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
  letGo();
  const mine = await attempts.keepNow(stroke);
  if (mine.problem && attempts.isOpen(mine)) {
    letGo();
    set({ notice: { text: mine.problem } });
  }
}

// ---- the history

type Change = (revision: number) => Promise<{ data?: unknown; error?: unknown; response: Response }>;

async function write(change: Change): Promise<void> {
  try {
    const written = await answered<Written>(change(desk().history.revision));
    await taken(written).catch(complain);
  } catch (thrown) {
    await attempts.refused(thrown);
  }
}

const inTurn = (change: Change) => attempts.inTurn(() => write(change));

export async function switchStroke(number: number, on: boolean): Promise<void> {
  const path = { ...takePath(), number };
  await inTurn((revision) =>
    api.PATCH("/api/takes/{take_id}/strokes/{number}", { params: { path }, body: { revision, on } }),
  );
}

/** Strokes of the history that change together: each its numbers, or on or off. */
export async function changeStrokes(
  changes: readonly { number: number; stroke?: Stroke; on?: boolean }[],
): Promise<void> {
  letGo();
  for (const { number, ...body } of changes) {
    const path = { ...takePath(), number };
    await inTurn((revision) =>
      api.PATCH("/api/takes/{take_id}/strokes/{number}", {
        params: { path },
        body: { revision, ...body },
      }),
    );
  }
}

export async function deleteStroke(number: number): Promise<void> {
  letGo();
  const path = { ...takePath(), number };
  await inTurn((revision) =>
    api.DELETE("/api/takes/{take_id}/strokes/{number}", { params: { path, query: { revision } } }),
  );
}

export async function undo(): Promise<void> {
  await stepTo("/api/takes/{take_id}/undo", "can_undo");
}

export async function redo(): Promise<void> {
  await stepTo("/api/takes/{take_id}/redo", "can_redo");
}

/** To any point of the history. */
export async function jump(step: number): Promise<void> {
  letGo();
  await inTurn((revision) =>
    api.POST("/api/takes/{take_id}/jump", { params: params(), body: { revision, step } }),
  );
}

async function stepTo(
  address: "/api/takes/{take_id}/undo" | "/api/takes/{take_id}/redo",
  left: "can_undo" | "can_redo",
): Promise<void> {
  await attempts.inTurn(async () => {
    letGo();
    if (!desk().history[left]) return;
    await write((revision) => api.POST(address, { params: params(), body: { revision } }));
  });
}

type Listener = (changes: Changes | null) => void;
const listeners = new Set<Listener>();

/** Called whenever the take has changed for good: with what has changed, or null where it was read anew. */
export function onWritten(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

async function taken({ history: change, changes }: Written): Promise<void> {
  const { score, layers, history: before } = desk();
  if (!score) return;
  // Of a change of another history than the one that is known here nothing can be made.
  if (changes.others || change.revision !== before.revision + 1) {
    const moved = changes.moved.flatMap(({ notes }) => notes as [number, number][]);
    await reopen(changes.added.length > 0, moved);
  } else {
    const history = historyAfter(before, change);
    const kept = { ...layers.kept, velocities: withChanges(score, layers.kept.velocities, changes) };
    // Lanes are seen as they were tried until they have been read.
    const tried = layers.tried && { ...layers.tried, velocities: kept.velocities, coming: [] };
    set({ history, layers: { ...layers, kept, tried, compared: null } });
  }
  void readFacts();
  for (const listener of listeners) listener(changes);
}
