/** The practice rig: an instrument of the page's own, which can be worn as old ones are, and played by itself. */
import { create } from "zustand";
import { type Bytes, gear } from "./gear";

/** What age does to an instrument. */
export const WEAR = {
  wheel: "The wheel rests at +37",
  fader: "Volume moves by itself",
  key: "Keys strike twice",
  pedal: "The pedal is the wrong way round",
  foot: "The foot trembles",
} as const;
export type Wear = keyof typeof WEAR;

interface RigState {
  worn: readonly Wear[];
  /** Each note has a channel, a pitch and a timbre of its own. */
  perNote: boolean;
  /** The computer's keys play. */
  typing: boolean;
  octave: number;
  /** How hard the computer's keys strike. */
  force: number;
  wheel: number;
  modulation: number;
  pressure: number;
  pedal: boolean;
  /** Keys that are down. */
  down: readonly number[];
}

export const useRig = create<RigState>()(() => ({
  worn: [],
  perNote: false,
  typing: false,
  octave: 4,
  force: 80,
  wheel: 0,
  modulation: 0,
  pressure: 0,
  pedal: false,
  down: [],
}));
const { getState: rig, setState: set } = useRig;

const WORN_REST = 37;
const BOUNCE_MS = 12;
const FADER_MS = 25;
const TREMBLE_MS = 30;
const MEMBERS = 15;
const MIDDLE = 8192;

/** Messages as a worn instrument sends them, from what a new one would. */
export function worn(bytes: Bytes, at: number, wear: readonly Wear[]): [Bytes, number][] {
  const [status = 0, one = 0, two = 0] = bytes;
  const kind = status & 0xf0;
  if (kind === 0xe0 && wear.includes("wheel")) {
    const code = Math.min(((two << 7) | one) + WORN_REST, 16383);
    return [[[status, code & 0x7f, code >> 7], at]];
  }
  if (kind === 0xb0 && one === 64 && wear.includes("pedal")) return [[[status, one, 127 - two], at]];
  if (kind === 0x90 && two && wear.includes("key")) {
    return [
      [bytes, at],
      [[0x80 | (status & 0x0f), one, 64], at + BOUNCE_MS - 4],
      [[status, one, Math.max(two - 25, 1)], at + BOUNCE_MS],
    ];
  }
  return [[bytes, at]];
}

/** A message of the rig. */
export function send(bytes: Bytes, at: number = performance.now()): void {
  for (const [made, when] of worn(bytes, at, rig().worn)) gear.say(made, when);
}

// ---- keys

/** The channel of each finger, where notes have channels of their own. */
const fingers = new Map<number, { channel: number; pitch: number }>();
let nextMember = 0;

/** A finger (by any number) presses a key. */
export function press(finger: number, pitch: number, force: number, at?: number): void {
  release(finger, at);
  const channel = rig().perNote ? 1 + (nextMember++ % MEMBERS) : 0;
  fingers.set(finger, { channel, pitch });
  if (channel) {
    send([0xe0 | channel, 0, 64], at);
    send([0xb0 | channel, 74, 64], at);
  }
  send([0x90 | channel, pitch, Math.round(Math.min(Math.max(force, 1), 127))], at);
  set({ down: [...fingers.values()].map((one) => one.pitch) });
}

export function release(finger: number, at?: number): void {
  const held = fingers.get(finger);
  if (!held) return;
  fingers.delete(finger);
  send([0x80 | held.channel, held.pitch, 64], at);
  set({ down: [...fingers.values()].map((one) => one.pitch) });
}

/** A finger moves on its key: sideways by semitones, up by shares of the key; and how hard it presses. */
export function slide(finger: number, semitones: number, up: number, pressure: number | null): void {
  const held = fingers.get(finger);
  if (!held?.channel) return;
  const code = Math.round(MIDDLE + (Math.min(Math.max(semitones, -48), 48) / 48) * (MIDDLE - 1));
  send([0xe0 | held.channel, code & 0x7f, code >> 7]);
  send([0xb0 | held.channel, 74, Math.round(64 + Math.min(Math.max(up, -1), 1) * 63)]);
  if (pressure !== null) send([0xd0 | held.channel, Math.round(pressure * 127)]);
}

export function releaseAll(): void {
  for (const finger of [...fingers.keys()]) release(finger);
}

// ---- wheels and pedal

/** The bend wheel, -1 to 1. */
export function bend(share: number, at?: number): void {
  const code = Math.min(Math.max(Math.round(MIDDLE + share * MIDDLE), 0), 16383);
  set({ wheel: share });
  send([0xe0, code & 0x7f, code >> 7], at);
}

export function modulate(value: number, at?: number): void {
  set({ modulation: value });
  send([0xb0, 1, value], at);
}

export function squeeze(value: number, at?: number): void {
  set({ pressure: value });
  send([0xd0, value], at);
}

export function tread(down: boolean, at?: number): void {
  set({ pedal: down });
  send([0xb0, 64, down ? 127 : 0], at);
}

// ---- what an old instrument does by itself

let ageing: number[] = [];

export function wear(kinds: readonly Wear[]): void {
  set({ worn: kinds });
  for (const timer of ageing) window.clearInterval(timer);
  ageing = [];
  let turn = 0;
  if (kinds.includes("fader"))
    ageing.push(window.setInterval(() => gear.say([0xb0, 7, 98 + ((turn++ * 5) % 4)]), FADER_MS));
  if (kinds.includes("foot"))
    ageing.push(
      window.setInterval(
        () => gear.say([0xb0, 64, rig().pedal ? 120 + (turn++ % 7) : turn++ % 5]),
        TREMBLE_MS,
      ),
    );
  if (kinds.includes("wheel")) bend(0);
}
