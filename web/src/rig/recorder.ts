/** Recording: what an instrument says while the take plays is kept piece by piece, and becomes a stroke when it is stopped. */
import { create } from "zustand";
import { answered, api, type Schemas, sentence } from "../api/client";
import { arrangeRows } from "../desk/take/arranging";
import { beatSeconds, Clicking, metreAt } from "../desk/take/clicking";
import { hideLive, Live } from "../desk/take/live";
import { close, readAnew } from "../desk/take/shaping";
import { desk, set as setDesk, takePath } from "../desk/take/state";
import { secondsAt, tickAt } from "../score/score";
import { player, usePlayer } from "../sound/player";
import { type Bytes, gear, hex, isLeftOut, kindOfMessage } from "./gear";
import { type Piece, waiting } from "./pieces";

export type Mode = NonNullable<Schemas["PassAsked"]["mode"]>;
export type ClickWhen = "off" | "count-in" | "throughout";

interface RecorderState {
  /** What happens now; a count-in goes before the recording. */
  phase: "idle" | "counting" | "recording" | "keeping";
  /** The part that is played; null: the leading one. */
  armed: number | null;
  mode: Mode;
  leaveOut: readonly string[];
  countIn: number;
  click: ClickWhen;
  clickLevel: number;
  /** By so much (ms) what is played counts as later; negative: sooner. */
  shift: number;
  /** Beats that are still to come of the count-in. */
  left: number;
  /** What has come of the recording so far, and what is still to be sent. */
  messages: number;
  unsent: number;
  /** How much is remembered of what was played without recording. */
  remembered: number;
  problem: string | null;
}

export const useRecorder = create<RecorderState>()(() => ({
  phase: "idle",
  armed: null,
  mode: "merge",
  leaveOut: [],
  countIn: 1,
  click: "count-in",
  clickLevel: 0.5,
  shift: 0,
  left: 0,
  messages: 0,
  unsent: 0,
  remembered: 0,
  problem: null,
}));
export const { getState: recorder, setState: set } = useRecorder;

const PIECE_MS = 1000;
const LOOK_MS = 60;
/** So much before the beginning a first note may come, and counts as on it. */
const EARLY_SECONDS = 0.25;
/** Of what was played without recording so much is remembered (ms). */
const REMEMBERED_MS = 5 * 60_000;
const MOST_IN_PIECE = 10_000;
const MOST_REMEMBERED = 100_000;
const LEAD_MS = 120;

export const armedPart = (): number => recorder().armed ?? desk().fronts[0] ?? 0;

interface Running {
  id: string;
  part: number;
  from: number;
  loop: [number, number] | null;
  /** What was played in the round that is seen now. */
  shown: Live;
  messages: number;
  round: number;
  number: number;
  pending: Piece["events"];
  clicking: Clicking;
}

let running: Running | null = null;
let timers: number[] = [];
const remembered: { bytes: Bytes; at: number; second: number | null }[] = [];

function every(ms: number, run: () => void): void {
  timers.push(window.setInterval(run, ms));
}

/** Where a pass would go: round the chosen bars while they are repeated, otherwise from the playhead on. */
function place(): { start: number; loop: [number, number] | null } {
  const { score, span } = desk();
  if (!score) return { start: 0, loop: null };
  if (usePlayer.getState().looping && span) return { start: span[0], loop: span };
  return { start: Math.round(tickAt(score, player.position())), loop: null };
}

/** Begin: count in, and record from there on. */
export async function record(): Promise<void> {
  const { score } = desk();
  const { phase, mode, leaveOut, shift, countIn } = recorder();
  if (!score || phase !== "idle") return;
  close();
  const { start, loop } = place();
  player.stop();
  const id = crypto.randomUUID();
  const part = armedPart();
  const from = secondsAt(score, start);
  running = {
    id,
    part,
    from,
    loop,
    shown: new Live(part, score),
    messages: 0,
    round: 0,
    number: 0,
    pending: [],
    clicking: new Clicking(),
  };
  // It records from when the take is heard, which has to be brought first.
  set({ phase: "counting", messages: 0, problem: null, left: 0 });
  const asked: Schemas["PassAsked"] = {
    id,
    part,
    mode,
    leave_out: [...leaveOut],
    shift_ms: shift,
    start,
    loop_end: loop ? loop[1] : null,
  };
  void waiting.begin(desk().score?.id ?? "", asked);
  const beats = metreAt(score, start).beats * countIn;
  await player.record(from, beats * beatSeconds(score, start) + LEAD_MS / 1000);
  // It may have been stopped meanwhile, or dropped.
  if (running?.id !== id) return;
  if (!usePlayer.getState().playing) return fail(usePlayer.getState().problem);
  const { click, clickLevel } = recorder();
  if (click !== "off") running.clicking.countIn(start, countIn, clickLevel);
  every(LOOK_MS, look);
  every(PIECE_MS, sendPiece);
}

/** What is due: the click, the beats that are left of the count-in, and what is seen of the recording. */
function look(): void {
  const { score } = desk();
  if (!running || !score) return;
  if (!usePlayer.getState().playing) return void stop();
  const here = player.placeAt(performance.now());
  if (!here) return;
  const { phase, click, clickLevel } = recorder();
  if (click === "throughout") running.clicking.onward(clickLevel);
  const before = running.from - here.second;
  if (before > 0 && !here.round && phase !== "keeping") {
    const beat = beatSeconds(score, Math.round(tickAt(score, running.from)));
    const left = Math.ceil(before / beat - 1e-6);
    if (left !== recorder().left) set({ left });
    return;
  }
  if (phase === "counting") set({ phase: "recording", left: 0 });
  if (running.round !== here.round) nextRound(here.round);
  if (running.messages !== recorder().messages) set({ messages: running.messages });
  running.shown.show(here.second);
}

/** Every message that is taken: heard, remembered, and recorded. */
function take(bytes: Bytes, at: number): void {
  const part = running?.part ?? armedPart();
  void player.live(part, bytes);
  const here = usePlayer.getState().playing ? player.placeAt(at) : null;
  remembered.push({ bytes, at, second: here?.second ?? null });
  if (remembered.length > 2 * MOST_REMEMBERED || remembered[0]!.at < at - 2 * REMEMBERED_MS) {
    // Cut off now and then, not with every message.
    const first = remembered.findIndex((one) => one.at >= at - REMEMBERED_MS);
    remembered.splice(0, Math.max(first, remembered.length - MOST_REMEMBERED));
  }
  if (!running && !recorder().remembered) set({ remembered: remembered.length });
  if (!running || !here || isLeftOut(kindOfMessage(bytes), recorder().leaveOut)) return;
  let second = here.second;
  if (!here.round && second < running.from) {
    if (running.from - second > EARLY_SECONDS) return;
    second = running.from;
  }
  running.pending.push([here.round, Math.max(second, 0), hex(bytes)]);
  if (here.round !== running.round) nextRound(here.round);
  running.shown.add(second, bytes);
  running.messages += 1;
}

function nextRound(round: number): void {
  const { score } = desk();
  if (!running || !score) return;
  running.shown = new Live(running.part, score);
  running.round = round;
}

function sendPiece(): void {
  if (!running?.pending.length) return;
  const { id, pending } = running;
  // An instrument that floods is taken piece by piece, too.
  for (let at = 0; at < pending.length; at += MOST_IN_PIECE) {
    const events = pending.slice(at, at + MOST_IN_PIECE);
    waiting.add({ take: desk().score?.id ?? "", pass: id, number: running.number, events });
    running.number += 1;
  }
  running.pending = [];
}

/** Stop, and keep what was played. */
export async function stop(): Promise<void> {
  const mine = running;
  if (!mine) return;
  const end = Math.max(player.position(), mine.from);
  sendPiece();
  quiet();
  if (recorder().phase === "counting" && !mine.messages) {
    set({ phase: "idle" });
    void waiting.drop(desk().score?.id ?? "", mine.id);
    return;
  }
  set({ phase: "keeping" });
  try {
    const kept = await waiting.keep(desk().score?.id ?? "", mine.id, end);
    await seeAnew();
    if (!kept.numbers.length) setDesk({ notice: { text: "Nothing was played, so nothing was kept." } });
  } catch (thrown) {
    // It is kept in the browser, and comes when the server answers.
    setDesk({
      notice: { text: `${sentence(thrown)} What was played is kept here, and is sent as soon as it can be.` },
    });
  } finally {
    hideLive();
    set({ phase: "idle" });
  }
}

/** The take with what was played, and with rows for it. */
async function seeAnew(): Promise<void> {
  await readAnew();
  if (desk().rowsFit) arrangeRows(desk().rows);
}

/** Stop, and let go of what was played. */
export function drop(): void {
  const mine = running;
  if (!mine) return;
  quiet();
  hideLive();
  void readAnew().catch(() => undefined);
  set({ phase: "idle" });
  void waiting.drop(desk().score?.id ?? "", mine.id);
  player.rest(mine.from);
}

/** Let go of it, and begin again from where it began. */
export async function again(): Promise<void> {
  const was = recorder().phase !== "idle";
  drop();
  if (was) await record();
}

function quiet(): void {
  for (const timer of timers) window.clearInterval(timer);
  timers = [];
  running = null;
  player.stop();
}

function fail(problem: string | null): void {
  const id = running?.id;
  quiet();
  set({ phase: "idle", problem: problem ?? "The sound could not be started." });
  if (id) void waiting.drop(desk().score?.id ?? "", id);
}

export const isRecording = () => running !== null;
export const recordOrStop = () => void (running ? stop() : record());

/** What was played in the last minutes without recording, beside the take while it played; otherwise from the playhead on. */
export const playedBefore = (): number => remembered.length;

export async function keepPlayed(): Promise<void> {
  const { score } = desk();
  const heard = remembered.filter(({ second }) => second !== null);
  const played = heard.length ? heard : remembered;
  if (!score || !played.length || running) return;
  const from = player.position();
  const rows = played.map(({ bytes, at, second }): [number, number, string] => [
    0,
    second ?? from + (at - played[0]!.at) / 1000,
    hex(bytes),
  ]);
  remembered.length = 0;
  set({ remembered: 0 });
  const id = crypto.randomUUID();
  const start = Math.floor(tickAt(score, Math.max(Math.min(...rows.map(([, second]) => second)), 0)));
  const { mode, leaveOut, shift } = recorder();
  const asked = {
    id,
    part: armedPart(),
    mode,
    leave_out: [...leaveOut],
    shift_ms: shift,
    start,
    loop_end: null,
  };
  try {
    await waiting.begin(takePath().take_id, asked);
    waiting.add({ take: takePath().take_id, pass: id, number: 0, events: rows });
    await waiting.keep(takePath().take_id, id, null);
    await seeAnew();
  } catch (thrown) {
    setDesk({ notice: { text: sentence(thrown) } });
  }
}

/** Passes of a take that were not kept: those that wait on the server, with what of them is still here. */
export async function passesLeft(takeId: string): Promise<Schemas["Waiting"][]> {
  await waiting.flush();
  return answered<Schemas["Waiting"][]>(
    api.GET("/api/takes/{take_id}/passes", { params: { path: { take_id: takeId } } }),
  );
}

/** Listen to every instrument from now on; the result ends it. */
export function listen(): () => void {
  waiting.onChange = (unsent) => set({ unsent });
  const ends = gear.hear(take);
  return () => {
    ends();
    drop();
  };
}
