/**
 * The rig's inside player: performs a line as a hand would, by a seed, so that recording can be shown and tried with nobody
 * there. It plays with the take as it is heard, and its messages carry the time at which it meant them.
 */
import { create } from "zustand";
import { desk } from "../desk/take/state";
import { secondsAt } from "../score/score";
import { player, usePlayer } from "../sound/player";
import { type Bytes, hex } from "./gear";
import { recorder } from "./recorder";
import { send } from "./rig";

export const LINES = {
  line: "A line of eight notes",
  chords: "Chords, one a bar",
  swell: "The mod wheel alone: a swell a bar",
  scoops: "The bend wheel alone: a scoop a beat",
  pedal: "The pedal alone, bar by bar",
} as const;
export type Line = keyof typeof LINES;

/** What is played: beats from the beginning, and the message. */
export type Step = readonly [beat: number, bytes: Bytes];

interface InsideState {
  plays: boolean;
  line: Line;
  seed: number;
  /** What it has meant: the round, seconds of the take, and the message in hexadecimal figures. */
  meant: readonly (readonly [number, number, string])[];
}

export const useInside = create<InsideState>()(() => ({ plays: false, line: "line", seed: 1, meant: [] }));
const { getState: inside, setState: set } = useInside;

const BARS = 4;
const TURN_MS = 20;
/** How far a hand is off, in beats and in force. */
const UNEVEN = 0.02;
const FORCE = 9;

/** Numbers from 0 to 1, the same for the same seed. */
export function dice(seed: number): () => number {
  let state = seed >>> 0 || 1;
  return () => {
    state = (state + 0x6d2b79f5) >>> 0;
    let t = Math.imul(state ^ (state >>> 15), state | 1);
    t ^= t + Math.imul(t ^ (t >>> 7), t | 61);
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

const SCALE = [60, 62, 64, 67, 69, 67, 64, 62];
const CHORDS = [
  [57, 60, 64],
  [53, 57, 60],
  [55, 60, 64],
  [55, 59, 62],
];

/** A line over so many bars of some beats each, as a hand plays it. */
export function performance_(line: Line, seed: number, beats: number, bars = BARS): Step[] {
  const roll = dice(seed);
  const off = () => (roll() + roll() - 1) * UNEVEN;
  const force = (middle: number) => Math.round(Math.min(Math.max(middle + (roll() * 2 - 1) * FORCE, 1), 127));
  const steps: Step[] = [];
  const note = (beat: number, key: number, length: number, hard: number) => {
    const start = Math.max(beat + off(), 0);
    steps.push([start, [0x90, key, force(hard)]], [start + length * (0.9 + roll() * 0.08), [0x80, key, 64]]);
  };
  const move = (from: number, to: number, count: number, make: (share: number) => Bytes) => {
    for (let step = 0; step < count; step++)
      steps.push([from + ((to - from) * step) / count + roll() * 0.004, make(step / (count - 1))]);
  };
  for (let bar = 0; bar < bars; bar++) {
    const at = bar * beats;
    if (line === "line")
      for (let beat = 0; beat < beats; beat++)
        note(
          at + beat,
          SCALE[(bar * beats + beat) % SCALE.length]!,
          1,
          70 + 18 * Math.sin((beat / beats) * Math.PI),
        );
    if (line === "chords") for (const key of CHORDS[bar % CHORDS.length]!) note(at, key, beats, 72);
    if (line === "swell")
      move(at + 0.1, at + beats - 0.1, 60, (share) => [0xb0, 1, Math.round(100 * Math.sin(share * Math.PI))]);
    if (line === "scoops")
      for (let beat = 0; beat < beats; beat++)
        move(at + beat, at + beat + 0.4, 24, (share) => {
          const code = Math.round(8192 - 4096 * (1 - share));
          return [0xe0, code & 0x7f, code >> 7];
        });
    if (line === "pedal") steps.push([at + 0.1, [0xb0, 64, 127]], [at + beats - 0.05, [0xb0, 64, 0]]);
  }
  return steps.sort((a, b) => a[0] - b[0]);
}

let timer = 0;
let planned: { steps: Step[]; round: number; next: number; from: number; beat: number } | null = null;

/** Play whenever something is recorded. */
export function setPlaying(plays: boolean): void {
  set({ plays });
  window.clearInterval(timer);
  planned = null;
  if (plays) timer = window.setInterval(turn, TURN_MS);
}

export const setLine = (line: Line) => set({ line });
export const setSeed = (seed: number) => set({ seed });

function turn(): void {
  const { score, span } = desk();
  if (!score || recorder().phase === "idle" || !usePlayer.getState().recording) {
    planned = null;
    return;
  }
  const now = performance.now();
  const here = player.placeAt(now);
  if (!here) return;
  if (!planned) {
    const from = usePlayer.getState().resting;
    planned = { ...plan(from, 0), from };
    set({ meant: [] });
  }
  for (;;) {
    const step = planned.steps[planned.next];
    if (!step) {
      // Round a loop it plays again, never quite the same.
      if (!usePlayer.getState().looping || !span) return;
      planned = { ...plan(planned.from, planned.round + 1), from: planned.from };
      continue;
    }
    const second = planned.from + step[0] * planned.beat;
    const at = player.heardAt({ second, round: planned.round });
    if (at === null || at > now) return;
    planned.next += 1;
    set({
      meant: [...inside().meant, [planned.round, second, hex(step[1])]],
    });
    send(step[1], at);
  }
}

function plan(from: number, round: number): { steps: Step[]; round: number; next: number; beat: number } {
  const { score, span } = desk();
  const bars = score?.bars;
  const { line, seed } = inside();
  const beats = bars?.beats[0] ?? 4;
  const ticks = bars?.beat_ticks[0] ?? 960;
  const beat = score ? secondsAt(score, ticks) - secondsAt(score, 0) : 0.5;
  const looped = usePlayer.getState().looping && span && score;
  const length = looped ? (secondsAt(score, span[1]) - from) / beat : BARS * beats;
  const steps = performance_(line, seed + round, beats, Math.max(Math.round(length / beats), 1));
  return { steps: steps.filter(([at]) => at < length - 1e-6), round, next: 0, beat };
}
