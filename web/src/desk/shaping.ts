/** Strokes: tried, kept, opened again, undone. */
import {
  answered,
  api,
  type Changes,
  type DeskView,
  type History,
  type Preview,
  Refusal,
  type Stroke,
  sentence,
  type Written,
} from "../api/client";
import type { NoticeText } from "../parts/Notice";
import { scoreOf, type Velocities, velocitiesOf, withChanges } from "./score";
import { readFacts } from "./selecting";
import { desk, type Shaping, set, takePath } from "./state";

/** Read the take again, after it was changed elsewhere. What is being done here stays. */
async function reopen(): Promise<void> {
  const view = await answered<DeskView>(
    api.GET("/api/takes/{take_id}/view", { params: { path: takePath() } }),
  );
  set({ score: scoreOf(view), history: view.history, kept: velocitiesOf(view), live: null, ghost: null });
}

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
        api.POST("/api/takes/{take_id}/preview", { params: { path: takePath() }, body }),
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
        ? api.POST("/api/takes/{take_id}/strokes", { params: { path: takePath() }, body })
        : api.PATCH("/api/takes/{take_id}/strokes/{number}", {
            params: { path: { ...takePath(), number } },
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
    const params = { path: takePath(), query: { number } };
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
    api.PATCH("/api/takes/{take_id}/strokes/{number}", { params: { path: { ...takePath(), number } }, body }),
  );
}

export async function deleteStroke(number: number): Promise<void> {
  letGo();
  const query = { revision: desk().history.revision };
  await write(() =>
    api.DELETE("/api/takes/{take_id}/strokes/{number}", {
      params: { path: { ...takePath(), number }, query },
    }),
  );
}

export async function undo(): Promise<void> {
  await stepTo("/api/takes/{take_id}/undo", desk().history.can_undo);
}

export async function redo(): Promise<void> {
  await stepTo("/api/takes/{take_id}/redo", desk().history.can_redo);
}

/** To any point of the history. */
export async function jump(step: number): Promise<void> {
  letGo();
  const body = { revision: desk().history.revision, step };
  await write(() => api.POST("/api/takes/{take_id}/jump", { params: { path: takePath() }, body }));
}

async function stepTo(address: "/api/takes/{take_id}/undo" | "/api/takes/{take_id}/redo", left: number) {
  letGo();
  if (!left) return;
  const body = { revision: desk().history.revision };
  await write(() => api.POST(address, { params: { path: takePath() }, body }));
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
  for (const listener of listeners) listener(changes);
}

async function refused(thrown: unknown, again?: NoticeText["action"]): Promise<void> {
  if (thrown instanceof Refusal && thrown.history) {
    await reopen();
    set({ notice: { text: `${thrown.message} You see it as it is now.`, action: again } });
    for (const listener of listeners) listener(null);
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
