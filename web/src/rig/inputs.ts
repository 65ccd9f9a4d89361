/** Real instruments, where the browser lets them in (Web MIDI, by a kept library): asked for only when they are wanted. */
import type { Input, WebMidi } from "webmidi";
import { create } from "zustand";
import { gear, useGear } from "./gear";
import { useRig } from "./rig";

interface InputsState {
  state: "closed" | "open" | "refused";
  /** What is plugged in, by name. */
  inputs: readonly string[];
  problem: string | null;
}

export const useInputs = create<InputsState>()(() => ({ state: "closed", inputs: [], problem: null }));
const { setState: set } = useInputs;

let plugs: typeof WebMidi | null = null;
const heard = new Set<Input>();
const listeners = new Set<() => void>();

/** What is plugged in, once the player has let it in. */
export const midi = (): typeof WebMidi | null => plugs;

/** Told whenever something is plugged in or out; the result ends it. */
export function onPlugs(listener: () => void): () => void {
  listeners.add(listener);
  listener();
  return () => listeners.delete(listener);
}
const LENGTHS: Record<number, number> = { 8: 3, 9: 3, 10: 3, 11: 3, 12: 2, 13: 2, 14: 3 };

/** Ask for what is plugged in. */
export async function openInputs(): Promise<void> {
  if (!navigator.requestMIDIAccess) {
    set({ problem: "This browser lets no instruments in. The practice rig plays all the same." });
    return;
  }
  try {
    const { WebMidi: found } = await import("webmidi");
    // What arrives is looked at here: a message that is no whole one is no reason to throw.
    await found.enable({ validation: false });
    plugs = found;
    found.addListener("portschanged", list);
    set({ state: "open", problem: null });
    list();
  } catch {
    set({
      state: "refused",
      problem: "The browser was told to let no instruments in. Allow it in the page's settings to use them.",
    });
  }
}

/** What is plugged in may change at any time: what is gone is only not heard any longer. */
function list(): void {
  const inputs = plugs?.inputs.filter(({ state }) => state === "connected") ?? [];
  const names = inputs.map(nameOf);
  for (const input of inputs) {
    if (heard.has(input)) continue;
    heard.add(input);
    input.addListener("midimessage", ({ message, timestamp }) =>
      hear(nameOf(input), message.rawData, timestamp),
    );
  }
  for (const listener of listeners) listener();
  set({
    inputs: names,
    problem: plugs && !names.length ? "Nothing is plugged in. It is listed here as soon as it is." : null,
  });
  if (!names.includes(useGear.getState().name)) useGear.setState({ name: "Practice rig" });
}

const nameOf = (input: Input) => input.name || "An instrument";

function hear(name: string, data: Uint8Array, timestamp: number): void {
  if (useGear.getState().name !== name) return;
  // What is no whole channel message is none of the music: clocks, exclusives, broken bytes.
  if (LENGTHS[data[0]! >> 4]! !== data.length || data.subarray(1).some((byte) => byte > 127)) return;
  const bytes = onePart([...data], name);
  if (bytes) gear.say(bytes, timestamp || performance.now());
}

/** Zones that instruments have told of (MPE, registered parameter 6), by their names: which manager each has. */
const zones = new Map<string, "lower" | "upper">();
const choosing = new Map<string, number>();

/**
 * A message as the part's: whatever channel an instrument is set to, it plays one part. Where it says that its notes have
 * channels of their own, or the player has, these stay: those of the upper zone counted as in the lower.
 */
export function onePart(bytes: number[], name: string): number[] | null {
  const [kind, channel] = [bytes[0]! & 0xf0, bytes[0]! & 0x0f];
  if (kind === 0xb0) followZone(name, channel, bytes[1]!, bytes[2]!);
  const zone = zones.get(name) ?? (useRig.getState().perNote ? "lower" : null);
  if (!zone) return [kind, ...bytes.slice(1)];
  return [kind | (zone === "upper" ? 15 - channel : channel), ...bytes.slice(1)];
}

function followZone(name: string, channel: number, number: number, value: number): void {
  if (channel !== 0 && channel !== 15) return;
  const key = `${name} ${channel}`;
  const chosen = choosing.get(key) ?? 0x3fff;
  if (number === 101) choosing.set(key, (chosen & 0x7f) | (value << 7));
  else if (number === 100) choosing.set(key, (chosen & 0x3f80) | value);
  else if (number === 6 && chosen === 6) {
    if (value) zones.set(name, channel ? "upper" : "lower");
    else zones.delete(name);
  }
}

export const chooseInput = (name: string) => useGear.setState({ name });
