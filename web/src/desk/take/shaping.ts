/** Strokes: tried, kept, opened again, undone. */
import {
  answered,
  api,
  type Changes,
  type DeskView,
  type History,
  type Mark,
  type Preview,
  Refusal,
  type Schemas,
  type Stroke,
  sentence,
  type Written,
} from "../../api/client";
import { type LaneNodes, nodesOf, withLaneChanges } from "../../score/lanes";
import { carried, scoreOf, type Velocities, velocitiesOf, withChanges } from "../../score/score";
import { choose, readFacts } from "./choosing";
import { hearAgain } from "./hearing";
import { complain, desk, here, type Shaping, set, takePath } from "./state";

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
  tryAgain();
}

/** Of what a stroke would do, nothing is shown. */
const NOTHING_TRIED = { live: null, liveLanes: null, coming: [] };

/** A stroke that is tried. The one on the desk is drawn as `shaping`; one that is meant is kept whatever comes after it. */
interface Attempt {
  stroke: Stroke;
  /** The place that a line is pulled to: the answer holds the numbers that lead there. */
  pull: [number, number] | null;
  /** Of the history, where it is one of its strokes. */
  number: number | null;
  /** It differs from what is kept. */
  changed: boolean;
  /** What it would do has not been answered yet. */
  asked: boolean;
  problem: string | null;
}

let current: Attempt | null = null;

/** A new stroke, or one of the history, is the one on the desk from now on. */
function show(stroke: Stroke, from?: { number: number; mark: Mark | null }): Attempt {
  const { number, mark } = from ?? { number: null, mark: null };
  current = { stroke, pull: null, number, changed: !from, asked: false, problem: null };
  set({ shaping: { stroke, number, mark, problem: null, field: null } });
  return current;
}

// ---- trying

let waiting: (() => Promise<void>) | null = null;
let flight: Promise<void> | null = null;

/** Show what a stroke would do. The latest one wins: of those asked while one is under way, only the last is sent. */
export function preview(
  stroke: Stroke,
  pull?: [number, number],
  answered_?: () => void,
  of: number | null = null,
): void {
  const mine = current ?? show(stroke, of === null ? undefined : { number: of, mark: null });
  [mine.stroke, mine.pull, mine.changed, mine.asked] = [stroke, pull ?? null, true, true];
  // What was wrong is said until the answer comes, so that nothing moves about under the pointer in between.
  set({ shaping: { ...(desk().shaping as Shaping), stroke } });
  waiting = async () => {
    if (mine === current && mine.asked) await ask(mine, answered_);
  };
  drain();
}

/** What is tried is shown anew on what has come from the server. */
export function tryAgain(): void {
  if (current?.changed && !waiting) preview(current.stroke, current.pull ?? undefined);
}

/** Previews are made on a revision: they wait while one is being written. */
function drain(): void {
  if (flight || turns || !waiting) return;
  const next = waiting;
  waiting = null;
  flight = next().finally(() => {
    flight = null;
    drain();
  });
}

async function ask(mine: Attempt, answered_?: () => void): Promise<void> {
  const { history, score } = desk();
  if (!score) return;
  const { stroke, pull, number } = mine;
  const isLatest = () => mine.stroke === stroke && mine.pull === pull;
  try {
    const body = { revision: history.revision, stroke, number, pull, part: desk().fronts[0] };
    const answer = await answered<Preview>(
      api.POST("/api/takes/{take_id}/preview", { params: { path: takePath() }, body }),
    );
    mine.problem = null;
    if (isLatest()) [mine.stroke, mine.pull, mine.asked] = [answer.stroke, null, false];
    if (mine !== current) return;
    set({
      live: withChanges(score, desk().kept, answer.changes),
      coming: answer.changes.added,
      liveLanes: answer.lanes.length ? withLaneChanges(desk().lanes, answer.lanes) : null,
      ghost: desk().ghost ?? desk().kept,
      facts: answer.facts ?? desk().facts,
      shaping: {
        stroke: mine.stroke,
        number: mine.number,
        mark: answer.mark,
        problem: null,
        field: null,
        saving: answer.saving,
      },
    });
    answered_?.();
    hearAgain();
  } catch (thrown) {
    if (thrown instanceof Refusal && thrown.status === 422 && isLatest()) mine.asked = false;
    if (mine === current || queue.includes(mine)) await refused(thrown, mine);
  }
}

// ---- keeping

/** How often the take was read anew because it had changed elsewhere. */
let surprises = 0;

/** What is meant and not yet written, in its order. */
const queue: Attempt[] = [];
/** The same, and what the server did not answer for: it is meant until it is written, refused or let go of. */
const unsent = new Set<Attempt>();

/** Keep the stroke that is open: as a new one, or as new numbers for the one it was opened from. It stays open. */
export async function keep(): Promise<void> {
  if (current) await keepIt(current);
}

/** What is not written yet: all that was meant, and what is open and differs from what is kept. */
export function unwritten() {
  const told = ({ stroke, number }: Attempt) => ({ stroke, number });
  const open = current?.changed && !unsent.has(current) ? told(current) : null;
  return { meant: [...unsent].map(told), open };
}

/** Keep what was meant on an earlier visit. */
export async function keepAgain(stroke: Stroke, number: number | null): Promise<void> {
  await keepIt({ stroke, pull: null, number, changed: true, asked: false, problem: null });
}

/** Also where it is let go of before its turn has come. */
async function keepIt(mine: Attempt): Promise<void> {
  const seen = surprises;
  queue.push(mine);
  if (mine.changed) unsent.add(mine);
  await inTurn(async () => {
    try {
      if (mine.asked) await ask(mine);
      // What was meant for the take as it was is not kept on another one unasked.
      if (mine.changed && !mine.asked && !mine.problem && seen === surprises) await put(mine);
    } finally {
      queue.splice(queue.indexOf(mine), 1);
      if (!mine.changed || mine.problem || seen !== surprises) unsent.delete(mine);
    }
  });
}

/** Write a stroke as a new one, or as new numbers for one of the history, and open it as it is kept. */
async function put(mine: Attempt): Promise<void> {
  const { stroke, number } = mine;
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
    mine,
  );
  if (!written) return;
  mine.number = number ?? newest(stroke);
  mine.changed = mine.stroke !== stroke;
  // Unless it was let go of in the meantime, it stays open under the hand; what the hand has changed since, too.
  if (mine !== current || mine.number === null) return;
  if (mine.changed) set({ shaping: { ...(desk().shaping as Shaping), number: mine.number } });
  // What was there before is fetched beside: the next gesture does not wait for it.
  else void open(mine.number);
}

/** The number of a stroke that was just added: the last one, or the standing one whose place it has taken. */
function newest(stroke: Stroke): number | null {
  const { strokes } = desk().history;
  const same = strokes.filter((one) => one.stroke.kind === stroke.kind);
  return (same.sort((a, b) => a.step - b.step).at(-1) ?? strokes.at(-1))?.number ?? null;
}

/** Open a stroke of the history, to be changed. */
export async function open(number: number): Promise<void> {
  const found = desk().history.strokes.find((one) => one.number === number);
  const { score } = desk();
  if (!found || !score) return;
  const mine = show(found.stroke, found);
  waiting = null;
  set({ live: null });
  void readFacts();
  const [ghost, ghostLanes] = await Promise.all([
    before(number),
    "lane" in found.stroke ? lanesBefore(number) : null,
  ]);
  if (mine === current) set({ ghost, ghostLanes });
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
  if (current && !queue.includes(current)) unsent.delete(current);
  current = null;
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
  const { shaping } = desk();
  await inTurn(async () => {
    if (desk().shaping?.number === shaping?.number) letGo();
  });
}

/** Keep a stroke at once, without a gesture. */
export async function apply(stroke: Stroke): Promise<void> {
  letGo();
  const mine = show(stroke);
  await keepIt(mine);
  if (mine.problem && mine === current) {
    letGo();
    set({ notice: { text: mine.problem } });
  }
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
/** Changes that are under way or wait for their turn. */
let turns = 0;

/** One change of the history after another, each on the revision that the one before has made. */
function inTurn(act: () => Promise<unknown>): Promise<void> {
  turns++;
  set({ saving: turns });
  const mine = lastTurn.then(async () => {
    try {
      await flight;
      await act();
    } finally {
      turns--;
      set({ saving: turns });
      drain();
    }
  });
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

/** Change the history; true when the server took it. */
async function write(change: (revision: number) => Asked, about?: Attempt): Promise<boolean> {
  let written: Written;
  try {
    written = await answered<Written>(change(desk().history.revision));
  } catch (thrown) {
    await refused(thrown, about);
    return false;
  }
  await taken(written.history, written.changes).catch(complain);
  return true;
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
async function refused(thrown: unknown, about?: Attempt): Promise<void> {
  const isMeant = about && queue.includes(about);
  if (thrown instanceof Refusal && thrown.history) {
    surprises++;
    // What was kept already is not offered again.
    const all = [...new Set([...queue, ...(about ? [about] : [])])].filter((one) => one.changed);
    await reopen().catch(complain);
    const action = { label: "Keep it all the same", run: () => all.forEach((one) => void keepIt(one)) };
    const text = `${thrown.message} You see it as it is now.`;
    set({ notice: { text, action: all.length ? action : undefined } });
    for (const listener of listeners) listener(null);
    return;
  }
  const text = sentence(thrown);
  if (about && thrown instanceof Refusal && thrown.status === 422) {
    about.problem = text;
    if (about !== current) return set({ notice: { text } });
    const shaping = { ...(desk().shaping as Shaping), problem: text, field: thrown.field, mark: null };
    set({ shaping, ...NOTHING_TRIED });
  } else {
    const action = isMeant ? { label: "Try again", run: () => void keepIt(about) } : undefined;
    set({ notice: { text, action } });
  }
}
