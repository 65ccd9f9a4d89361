/** Real instruments, where the browser lets them in (Web MIDI): asked for only when they are wanted. */
import { create } from "zustand";
import { gear, useGear } from "./gear";

interface InputsState {
  state: "closed" | "open" | "refused";
  /** What is plugged in, by name. */
  inputs: readonly string[];
  problem: string | null;
}

export const useInputs = create<InputsState>()(() => ({ state: "closed", inputs: [], problem: null }));
const { setState: set } = useInputs;

let access: MIDIAccess | null = null;
const listeners = new Set<() => void>();

/** What is plugged in, once the player has let it in. */
export const midi = (): MIDIAccess | null => access;

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
    access = await navigator.requestMIDIAccess();
    access.onstatechange = list;
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
  const names: string[] = [];
  access?.inputs.forEach((input) => {
    if (input.state !== "connected") return;
    const name = input.name ?? "An instrument";
    names.push(name);
    input.onmidimessage = (event) => hear(name, event);
  });
  for (const listener of listeners) listener();
  set({
    inputs: names,
    problem: access && !names.length ? "Nothing is plugged in. It is listed here as soon as it is." : null,
  });
  if (!names.includes(useGear.getState().name)) useGear.setState({ name: "Practice rig" });
}

function hear(name: string, event: MIDIMessageEvent): void {
  const { data, timeStamp } = event;
  if (useGear.getState().name !== name || !data) return;
  // What is no whole channel message is none of the music: clocks, exclusives, broken bytes.
  if (LENGTHS[data[0] >> 4] !== data.length || data.subarray(1).some((byte) => byte > 127)) return;
  gear.say([...data], timeStamp || performance.now());
}

export const chooseInput = (name: string) => useGear.setState({ name });
