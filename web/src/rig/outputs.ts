/**
 * Out to one's own instruments: what is handed to the practice synth also goes to the outputs of its parts, timed ahead by
 * the audio clock. What waits here can still be taken back; what was sent is let go of when the playing stops.
 */
import { create } from "zustand";
import { complain, desk } from "../desk/take/state";
import { secondsAt, tickAt } from "../score/score";
import { DATA_BYTES } from "../sound/messages";
import { player, type Told, usePlayer } from "../sound/player";
import { BANK, bankOf, loadBank } from "./banks";
import { gear } from "./gear";
import { midi, onPlugs } from "./inputs";
import { Line } from "./line";
import { type Out, simulated } from "./simulated";

export const SIMULATED = "Simulated instrument";

/** Where a part goes. */
export interface Destination {
  output: string;
  /** 1 to 16; 0: the channel that its part has. */
  channel: number;
  /** Its messages are sent later by so much (ms); negative: sooner. */
  delay: number;
  /** The practice synth plays it too. */
  beside: boolean;
  /** How curves of its notes are sent there; null: as the part says. */
  way: "plain" | "mpe" | null;
  /** On a SoundFont: the bank and program that is played, whatever the take asks for; null: as it asks. */
  preset: readonly [bank: number, program: number] | null;
}

interface OutputsState {
  outputs: readonly string[];
  /** By part. */
  to: Readonly<Record<number, Destination>>;
  /** Start, stop and clock are sent along. */
  clock: boolean;
}

export const useOutputs = create<OutputsState>()(() => ({ outputs: [SIMULATED], to: {}, clock: false }));
const { getState: now, setState: set } = useOutputs;

const TURN_MS = 20;
/** So far ahead messages leave this page; when it is behind others its timers run once a second. */
const AHEAD_MS = 200;
const [NEAR_SECONDS, AHEAD_SECONDS] = [0.02, 0.25];
const HIDDEN_AHEAD_MS = 1600;
const CLOCKS_A_QUARTER = 24;

interface Waiting {
  /** Seconds of the audio clock. */
  time: number;
  part: number;
  destination: Destination;
  /** A message, or what ends all that sounds, or the zone. */
  bytes: readonly number[] | "hush" | "no zone";
}

let queue: Waiting[] = [];
const PLACE = "lull.outputs";

export function sendTo(part: number, destination: Destination | null): void {
  const { [part]: _, ...rest } = now().to;
  letGo();
  set({ to: destination ? { ...rest, [part]: destination } : rest });
  if (destination) loadIfBank(destination.output);
  save();
  sayWays();
  void player.refresh();
}

export function setClock(clock: boolean): void {
  set({ clock });
  save();
}

/** What is sent elsewhere is begun a little later, so that its first messages are on their way in time. */
function prepare(): void {
  player.lead = Object.keys(now().to).length ? AHEAD_SECONDS : NEAR_SECONDS;
}

function save(): void {
  prepare();
  const take = desk().score?.id;
  if (take) localStorage.setItem(`${PLACE} ${take}`, JSON.stringify({ to: now().to, clock: now().clock }));
}

/** What was set for the take that is open. */
export function recall(): void {
  const kept = localStorage.getItem(`${PLACE} ${desk().score?.id}`);
  const { to = {}, clock = false } = kept ? JSON.parse(kept) : {};
  set({ to, clock });
  sayWays();
  prepare();
  for (const { output } of Object.values(now().to)) loadIfBank(output);
}

/** In which way each part is asked for. */
function sayWays(): void {
  const sent = (wanted: Destination["way"]) =>
    Object.entries(now().to)
      .filter(([, { way }]) => way === wanted)
      .map(([part]) => part)
      .join();
  player.ways = { plain: sent("plain"), mpe: sent("mpe") };
}

/** A SoundFont is read before it is needed; until then its parts are not heard. */
function loadIfBank(output: string): void {
  if (output.startsWith(BANK)) void loadBank(output.slice(BANK.length)).catch(complain);
}

function outOf(name: string, part: number): Out | null {
  if (name === SIMULATED) return simulated;
  if (name.startsWith(BANK)) {
    const [preset, program] = now().to[part]?.preset ?? [0, null];
    return bankOf(name.slice(BANK.length), part, program, preset);
  }
  let found: Out | null = null;
  for (const output of midi()?.outputs ?? [])
    if (output.name === name && output.state === "connected")
      found = { send: (bytes, at) => output.send([...bytes], { time: at }) };
  return found;
}

/** What is handed over: kept until it is due. Says which parts are heard there alone. */
function take(told: Told): ReadonlySet<number> {
  const { to } = now();
  const { clearFrom } = told;
  if (clearFrom !== null) queue = queue.filter(({ time }) => time < clearFrom);
  const made: Waiting[] = [];
  told.parts.forEach((part, message) => {
    const destination = to[part];
    if (!destination) return;
    const [time, last] = [told.times[message]!, made.at(-1)];
    // What the player says by itself is meant for the practice synth: an instrument is told by its own channels.
    if (told.ends && last?.part === part && last.bytes === told.ends) return;
    const status = told.bytes[message * 3]!;
    const bytes =
      told.ends ??
      Array.from(told.bytes.subarray(message * 3, message * 3 + 1 + (DATA_BYTES[(status >> 4) - 8] ?? 0)));
    made.push({ time, part, destination, bytes });
  });
  if (made.length) {
    // In the order of time, and as they were told where that is the same.
    queue = [...queue, ...made]
      .map((one, row) => [one, row] as const)
      .sort(inTime)
      .map(([one]) => one);
  }
  turn();
  return new Set(
    Object.keys(to)
      .map(Number)
      .filter((part) => !to[part]!.beside),
  );
}

const inTime = (a: readonly [Waiting, number], b: readonly [Waiting, number]) =>
  a[0].time - b[0].time || a[1] - b[1];

/** Send what is due. */
function turn(): void {
  const ahead = (document.hidden ? HIDDEN_AHEAD_MS : AHEAD_MS) / 1000;
  const until = player.seconds + ahead;
  let sent = 0;
  while (sent < queue.length && queue[sent]!.time <= until) send(queue[sent++]!);
  if (sent) queue = queue.slice(sent);
  if (now().clock) clocks(until);
}

function send({ time, part, destination, bytes }: Waiting): void {
  const at = player.pageTime(time) + destination.delay;
  const line = lineOf(part, destination.output);
  if (bytes === "hush") line.hush(at);
  else if (bytes === "no zone") line.endZone(at);
  else line.send(bytes, at, destination.channel);
}

/** What was sent of a part to an output: what has to be let go there. */
const lines = new Map<string, Line>();

function lineOf(part: number, output: string): Line {
  const name = `${part} ${output}`;
  const line = lines.get(name) ?? new Line(() => outOf(output, part));
  lines.set(name, line);
  return line;
}

/** All that sounds is let go: on stopping, on leaving, when a part goes elsewhere. */
export function letGo(): void {
  for (const line of lines.values()) line.hush(performance.now());
}

// ---- start, stop and clock (MIDI 1.0, System Real Time)

let nextClock: number | null = null;

function everywhere(bytes: number[], at: number): void {
  const outputs = new Set(Object.values(now().to).map(({ output }) => output));
  for (const output of outputs) if (!output.startsWith(BANK)) outOf(output, 0)?.send(bytes, at);
}

function started(): void {
  for (const [part, { output }] of Object.entries(now().to)) outOf(output, Number(part))?.begin?.();
  if (!now().clock) return;
  const { score } = desk();
  const second = usePlayer.getState().resting;
  if (!score) return;
  const sixteenths = Math.round(tickAt(score, second) / (score.resolution / 4));
  everywhere([0xf2, sixteenths & 0x7f, (sixteenths >> 7) & 0x7f], performance.now());
  everywhere([sixteenths ? 0xfb : 0xfa], performance.now());
  nextClock = null;
}

function clocks(until: number): void {
  const { score } = desk();
  if (!score || !usePlayer.getState().playing) return;
  const here = player.placeAt(performance.now());
  if (!here) return;
  const step = score.resolution / CLOCKS_A_QUARTER;
  const heard = player.seconds;
  nextClock ??= Math.ceil(tickAt(score, Math.max(here.second, usePlayer.getState().resting)) / step);
  for (;;) {
    const second = secondsAt(score, nextClock * step);
    const at = player.heardAt({ second, round: here.round });
    if (at === null || (at - performance.now()) / 1000 > until - heard) return;
    everywhere([0xf8], at);
    nextClock += 1;
  }
}

/** Send from now on; the result ends it. */
export function openOutputs(): () => void {
  player.outward = take;
  if (window.lull) {
    window.lull.sent = () => simulated.kept;
    window.lull.say = (bytes, at) => gear.say(bytes, at);
  }
  recall();
  const timer = window.setInterval(turn, TURN_MS);
  const list = () => {
    const names: string[] = [];
    for (const output of midi()?.outputs ?? [])
      if (output.state === "connected") names.push(output.name || "An output");
    set({ outputs: [SIMULATED, ...names] });
  };
  const plugs = onPlugs(list);
  const stops = usePlayer.subscribe((state, was) => {
    if (state.playing && !was.playing) started();
    if (!state.playing && was.playing) {
      queue = queue.filter(({ time }) => time <= player.seconds + 0.01);
      turn();
      queue = [];
      letGo();
      if (now().clock) everywhere([0xfc], performance.now());
    }
  });
  window.addEventListener("pagehide", letGo);
  return () => {
    letGo();
    window.clearInterval(timer);
    plugs();
    stops();
    window.removeEventListener("pagehide", letGo);
    player.outward = null;
    queue = [];
  };
}
