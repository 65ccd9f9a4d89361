/**
 * The one place through which every instrument comes: the practice rig, its inside player, and real ones. What an
 * instrument is known to do by itself is put right here, before it is heard or recorded.
 */
import { create } from "zustand";
import { desk } from "../desk/take/state";

/** A channel message. */
export type Bytes = readonly number[];
/** Told of each message, and when it was made (ms of the page's clock). */
type Ear = (bytes: Bytes, at: number) => void;

/** What is known of an instrument, and put right. */
export interface Habits {
  /** Kinds that are not taken: `bend`, `pressure`, `key pressure`, `pedals`, `notes`, `cc:7` ... */
  ignore: string[];
  /** Where its wheel rests, in steps of 8192 either way, and how far around there it is taken for resting. */
  rest: number;
  slack: number;
  /** Its pedal is down where it says up. */
  turned: boolean;
  /** Controllers of which only what changes is taken. */
  thinned: string[];
  /** For each force the one it is taken for; none: as it comes. */
  forces?: number[] | null;
}

export const BLANK: Habits = { ignore: [], rest: 0, slack: 0, turned: false, thinned: [], forces: null };
export const PEDALS: readonly string[] = ["cc:64", "cc:66", "cc:67", "cc:69"];

/** The instrument that is played now. */
export const useGear = create<{ name: string }>()(() => ({ name: "Practice rig" }));

/** What is known of the instrument, as the account keeps it. */
const habits = (): Habits => ({ ...BLANK, ...desk().wishes.gear?.[useGear.getState().name] }) as Habits;

/** A message in hexadecimal figures. */
export const hex = (bytes: Bytes): string => bytes.map((byte) => byte.toString(16).padStart(2, "0")).join("");

/** What a message is, by the name that it is left out by. */
export function kindOfMessage([status = 0, one = 0]: Bytes): string {
  const kind = status & 0xf0;
  if (kind === 0x80 || kind === 0x90) return "notes";
  if (kind === 0xa0) return "key pressure";
  if (kind === 0xd0) return "pressure";
  if (kind === 0xe0) return "bend";
  return kind === 0xb0 ? `cc:${one}` : "";
}

export const isLeftOut = (kind: string, out: readonly string[]): boolean =>
  !kind || out.includes(kind) || (PEDALS.includes(kind) && out.includes("pedals"));

/** A message as it is taken, by what is known of its instrument; null: not at all. `last` holds what came before. */
export function righted(bytes: Bytes, habits: Habits, last: Map<string, string>): Bytes | null {
  const kind = kindOfMessage(bytes);
  if (isLeftOut(kind, habits.ignore)) return null;
  const made = settled(bytes, kind, habits);
  const told = made.join(" ");
  const key = `${kind} ${bytes[0]! & 0x0f}`;
  if (habits.thinned.includes(kind) && last.get(key) === told) return null;
  last.set(key, told);
  return made;
}

function settled(bytes: Bytes, kind: string, { rest, slack, turned, forces }: Habits): Bytes {
  const [status = 0, one = 0, two = 0] = bytes;
  if (kind === "bend" && (rest || slack)) {
    const off = ((two << 7) | one) - 8192 - rest;
    // What is left of the way on either side still reaches the end of it.
    const reach = 8192 - Math.sign(off) * rest - slack;
    const beyond = Math.max(Math.abs(off) - slack, 0);
    const value = 8192 + Math.sign(off) * Math.round((beyond / Math.max(reach, 1)) * 8192);
    const code = Math.min(Math.max(value, 0), 16383);
    return [status, code & 0x7f, code >> 7];
  }
  if (turned && PEDALS.includes(kind)) return [status, one, 127 - two];
  if (kind === "notes" && (status & 0xf0) === 0x90 && two && forces) return [status, one, forces[two] ?? two];
  return bytes;
}

class Gear {
  private readonly ears = new Set<Ear>();
  private readonly raw = new Set<Ear>();
  private readonly last = new Map<string, string>();

  /** Where the wheel and the pedals of the instrument stand, as they were last told. */
  private readonly stands = new Map<string, Bytes>();

  get standing(): readonly Bytes[] {
    return [...this.stands.values()];
  }

  /** A message from an instrument. */
  say(bytes: Bytes, at: number = performance.now()): void {
    const kind = kindOfMessage(bytes);
    if (kind === "bend" || PEDALS.includes(kind)) this.stands.set(kind, bytes);
    for (const ear of this.raw) ear(bytes, at);
    const taken = righted(bytes, habits(), this.last);
    if (taken) for (const ear of this.ears) ear(taken, at);
  }

  forget(): void {
    this.stands.clear();
    this.last.clear();
  }

  /** Hear what is taken of every message; the result ends it. */
  hear(ear: Ear): () => void {
    this.ears.add(ear);
    return () => this.ears.delete(ear);
  }

  /** Hear every message as it comes. */
  hearRaw(ear: Ear): () => void {
    this.raw.add(ear);
    return () => this.raw.delete(ear);
  }
}

export const gear = new Gear();

// Of another instrument nothing is known of where it stands.
useGear.subscribe(() => gear.forget());
