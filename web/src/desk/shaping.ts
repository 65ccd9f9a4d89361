/** Strokes: tried, kept, opened again, undone. */
import {
  answered,
  api,
  type Changes,
  type DeskView,
  type History,
  type Preview,
  Refusal,
  type Schemas,
  type Stroke,
  sentence,
  type Written,
} from "../api/client";
import type { NoticeText } from "../parts/Notice";
import { hearAgain } from "./hearing";
import { type LaneNodes, nodesOf, withLaneChanges } from "./lanes";
import { carried, scoreOf, type Velocities, velocitiesOf, withChanges } from "./score";
import { choose, readFacts } from "./selecting";
import { desk, here, type Shaping, set, takePath } from "./state";

/** Read the take again. What is being done here stays; with `newest`, notes that have come are chosen. */
export async function reopen(newest = false): Promise<void> {
  const isHere = here();
  const params = { path: takePath() };
  const view = await answered<DeskView>(api.GET("/api/takes/{take_id}/view", { params }));
  if (!isHere()) return;
  // A stroke may have been kept since this was read.
  if (view.history.revision < desk().history.revision) return reopen(newest);
  const { score: old, chosen } = desk();
  const score = scoreOf(view);
  set({ score, history: view.history, kept: velocitiesOf(view), live: null, ghost: null, coming: [] });
  if (old) choose(carried(old, chosen, score, newest));
}

/** Of what a stroke would do, nothing is shown. */
const NOTHING_TRIED = { live: null, liveLanes: null, coming: [] };

/** How often the take was read anew because it had changed elsewhere. */
let surprises = 0;
const KEEP_ALL_THE_SAME = { label: "Keep it all the same", run: () => void keep() };

let inFlight = false;
let waiting: (() => Promise<void>) | null = null;
let epoch = 0;

/** Show what a stroke would do. The latest one wins: of those asked while one is under way, only the last is sent. */
export function preview(stroke: Stroke, pull?: [number, number], answered_?: () => void): void {
  const before = desk().shaping;
  // What was wrong is said until the answer comes, so that nothing moves about under the pointer in between.
  set({
    shaping: { mark: null, number: null, problem: null, field: null, ...before, stroke, changed: true },
  });
  const mine = epoch;
  waiting = async () => {
    const { history, score, shaping } = desk();
    if (!score || !shaping || mine !== epoch) return;
    try {
      const part = desk().fronts[0];
      const body = { revision: history.revision, stroke, number: shaping.number, pull: pull ?? null, part };
      const answer = await answered<Preview>(
        api.POST("/api/takes/{take_id}/preview", { params: { path: takePath() }, body }),
      );
      if (mine !== epoch || !desk().shaping) return;
      set({
        live: withChanges(score, desk().kept, answer.changes),
        coming: answer.changes.added,
        liveLanes: answer.lanes.length ? withLaneChanges(desk().lanes, answer.lanes) : null,
        ghost: desk().ghost ?? desk().kept,
        facts: answer.facts ?? desk().facts,
        shaping: {
          ...(desk().shaping as Shaping),
          stroke: waiting ? (desk().shaping as Shaping).stroke : answer.stroke,
          mark: answer.mark,
          problem: null,
          field: null,
          saving: answer.saving,
        },
      });
      answered_?.();
      hearAgain();
    } catch (thrown) {
      if (mine === epoch) await refused(thrown, KEEP_ALL_THE_SAME);
    }
  };
  if (!inFlight && !isWriting) void drain();
}

async function drain(): Promise<void> {
  inFlight = true;
  while (waiting && !isWriting) {
    const next = waiting;
    waiting = null;
    await next();
  }
  inFlight = false;
}

/** Wait until the last preview that was asked for has been answered. */
async function settled(): Promise<void> {
  while (inFlight) await new Promise((resolve) => setTimeout(resolve, 2));
}

/** Keep the stroke that is open: as a new one, or as new numbers for the one it was opened from. It stays open. */
export function keep(): Promise<void> {
  const seen = surprises;
  return inTurn(async () => {
    await settled();
    const { shaping } = desk();
    // What was meant for the take as it was is not kept on another one unasked.
    if (!shaping?.changed || shaping.problem || seen !== surprises) return;
    await put(shaping.stroke, shaping.number);
  });
}

/** Write a stroke as a new one, or as new numbers for one of the history, and open it as it is kept. */
async function put(stroke: Stroke, number: number | null, mine = epoch): Promise<void> {
  const written = await write(
    (revision) =>
      number === null
        ? api.POST("/api/takes/{take_id}/strokes", {
            params: { path: takePath() },
            body: { revision, stroke },
          })
        : api.PATCH("/api/takes/{take_id}/strokes/{number}", {
            params: { path: { ...takePath(), number } },
            body: { revision, stroke },
          }),
    KEEP_ALL_THE_SAME,
    stroke,
  );
  if (!written) return;
  const kept = number ?? newest(stroke);
  const now = desk().shaping;
  // Unless it was let go of in the meantime, the stroke stays open under the hand; what the hand has changed since, too.
  if (!now || kept === undefined || mine !== epoch) return;
  if (now.stroke === stroke) await open(kept);
  else set({ shaping: { ...now, number: kept } });
}

/** The number of a stroke that was just added: the last one, or the standing one whose place it has taken. */
function newest(stroke: Stroke): number | undefined {
  const { strokes } = desk().history;
  const same = strokes.filter((one) => one.stroke.kind === stroke.kind);
  return (same.sort((a, b) => a.step - b.step).at(-1) ?? strokes.at(-1))?.number;
}

/** Open a stroke of the history, to be changed. */
export async function open(number: number): Promise<void> {
  const found = desk().history.strokes.find((one) => one.number === number);
  const { score } = desk();
  if (!found || !score) return;
  const mine = ++epoch;
  set({
    shaping: { stroke: found.stroke, number, mark: found.mark, problem: null, field: null, changed: false },
    live: null,
  });
  void readFacts();
  const [ghost, ghostLanes] = await Promise.all([
    before(number),
    "lane" in found.stroke ? lanesBefore(number) : null,
  ]);
  if (mine === epoch) set({ ghost, ghostLanes });
}

/** The velocities as they were before a stroke (the newest where none is named). */
export async function before(number?: number): Promise<Velocities> {
  const { score, kept } = desk();
  try {
    const params = { path: takePath(), query: { number } };
    const changes = await answered<Changes>(api.GET("/api/takes/{take_id}/before", { params }));
    return score ? withChanges(score, kept, changes) : kept;
  } catch {
    return kept;
  }
}

/** The leading part's lanes as they were before a stroke (0: the newest). */
export async function lanesBefore(number: number): Promise<ReadonlyMap<string, LaneNodes> | null> {
  try {
    const params = { path: takePath(), query: { part: desk().fronts[0], before: number } };
    const answer = await answered<Schemas["Lanes"]>(api.GET("/api/takes/{take_id}/lanes", { params }));
    return new Map(answer.lanes.map((lane) => [lane.key, nodesOf(lane)]));
  } catch {
    return null;
  }
}

/** Whatever is being tried is no longer wanted. */
export function forget(): void {
  epoch++;
  waiting = null;
}

/** Let go of the open stroke, then of the selection. */
export function letGo(): void {
  forget();
  set({ ...NOTHING_TRIED, shaping: null, ghostLanes: null, ghost: null, box: null, tip: null });
  void readFacts();
}

/** What was drawn is meant, unless nothing could be made of it. */
export function finish(): void {
  if (desk().shaping?.problem) letGo();
  else if (desk().shaping) void keep();
}

/** Let go of the open stroke once what was changed in it last is kept. */
export async function done(): Promise<void> {
  await inTurn(async () => letGo());
}

/** Keep a stroke at once, without a gesture: also where it is let go of before its turn has come. */
export async function apply(stroke: Stroke): Promise<void> {
  letGo();
  set({ shaping: { stroke, number: null, mark: null, problem: null, field: null, changed: true } });
  const [seen, mine] = [surprises, epoch];
  await inTurn(async () => {
    if (seen === surprises) await put(stroke, null, mine);
  });
  const problem = desk().shaping?.problem;
  if (!problem) return;
  letGo();
  set({ notice: { text: problem } });
}

export async function switchStroke(number: number, on: boolean): Promise<void> {
  const params = { path: { ...takePath(), number } };
  await inTurn(() =>
    write((revision) =>
      api.PATCH("/api/takes/{take_id}/strokes/{number}", { params, body: { revision, on } }),
    ),
  );
}

export async function deleteStroke(number: number): Promise<void> {
  letGo();
  const path = { ...takePath(), number };
  await inTurn(() =>
    write((revision) =>
      api.DELETE("/api/takes/{take_id}/strokes/{number}", { params: { path, query: { revision } } }),
    ),
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
  const params = { path: takePath() };
  await inTurn(() =>
    write((revision) => api.POST("/api/takes/{take_id}/jump", { params, body: { revision, step } })),
  );
}

async function stepTo(
  address: "/api/takes/{take_id}/undo" | "/api/takes/{take_id}/redo",
  left: "can_undo" | "can_redo",
): Promise<void> {
  await inTurn(async () => {
    letGo();
    if (!desk().history[left]) return;
    await write((revision) => api.POST(address, { params: { path: takePath() }, body: { revision } }));
  });
}

// ---- writing

let lastTurn: Promise<unknown> = Promise.resolve();
let isWriting = false;

/** One change of the history after another, each on the revision that the one before has made. */
function inTurn<T>(act: () => Promise<T>): Promise<T> {
  const mine = lastTurn.then(act);
  lastTurn = mine.catch(() => undefined);
  return mine;
}

/** Wait until all that was meant to be written is. */
export async function allWritten(): Promise<void> {
  await lastTurn;
}

type Listener = (changes: Changes | null) => void;
const listeners = new Set<Listener>();

/** Called whenever the take has changed for good: with what has changed, or null where it was read anew. */
export function onWritten(listener: Listener): () => void {
  listeners.add(listener);
  return () => listeners.delete(listener);
}

type Asked = Promise<{ data?: unknown; error?: unknown; response: Response }>;

/** Change the history; true when the server took it. Previews wait: they are made on a revision too. */
async function write(
  ask: (revision: number) => Asked,
  again?: NoticeText["action"],
  about?: Stroke,
): Promise<boolean> {
  await settled();
  isWriting = true;
  try {
    const written = await answered<Written>(ask(desk().history.revision));
    await taken(written.history, written.changes);
    return true;
  } catch (thrown) {
    await refused(thrown, again, about);
    return false;
  } finally {
    isWriting = false;
    if (waiting && !inFlight) void drain();
  }
}

async function taken(history: History, changes: Changes): Promise<void> {
  const { score, kept } = desk();
  if (!score) return;
  if (changes.others) await reopen(changes.added.length > 0);
  else set({ history, kept: withChanges(score, kept, changes), live: null });
  set({ earlier: null });
  void readFacts();
  for (const listener of listeners) listener(changes);
}

/** Say why not: at the stroke that it is about while that is open, else in a notice. */
async function refused(thrown: unknown, again?: NoticeText["action"], about?: Stroke): Promise<void> {
  if (thrown instanceof Refusal && thrown.history) {
    surprises++;
    await reopen();
    set({ notice: { text: `${thrown.message} You see it as it is now.`, action: again } });
    for (const listener of listeners) listener(null);
    return;
  }
  const shaping = desk().shaping;
  const text = sentence(thrown);
  const isOpen = shaping && (!about || shaping.stroke === about);
  if (isOpen && thrown instanceof Refusal && thrown.status === 422) {
    set({ shaping: { ...shaping, problem: text, field: thrown.field, mark: null }, ...NOTHING_TRIED });
  } else {
    set({ notice: { text } });
  }
}
