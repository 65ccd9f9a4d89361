/** An output that stands in for gear: it keeps what it is sent, and can be as slow as a cable, or lose some of it. */
import { create } from "zustand";

/** What can be sent to: a real output of the browser's, or the one that stands in. */
export interface Out {
  send: (bytes: number[], at: number) => void;
  /** Told before the playing begins. */
  begin?: () => void;
}

export interface Kept {
  /** Milliseconds of the page's clock: when it was meant to be, and when it was there. */
  at: number;
  came: number;
  bytes: readonly number[];
}

interface SimulatedState {
  /** It carries 3,125 bytes a second, as a cable does; or all at once. */
  slow: boolean;
  /** It loses every so-many-th message; 0: none. */
  loses: number;
  count: number;
  lost: number;
  /** How much later than meant the latest message came, in milliseconds. */
  late: number;
}

export const useSimulated = create<SimulatedState>()(() => ({
  slow: false,
  loses: 0,
  count: 0,
  lost: 0,
  late: 0,
}));
const { getState: now, setState: set } = useSimulated;

const BYTES_A_MS = 3.125;
const MOST_KEPT = 200_000;

class Simulated implements Out {
  readonly kept: Kept[] = [];
  private free = 0;

  send(bytes: number[], at: number): void {
    const { slow, loses, count, lost, late } = now();
    if (loses && (count + lost + 1) % loses === 0) {
      set({ lost: lost + 1 });
      return;
    }
    const begins = Math.max(at, performance.now());
    const came = slow ? Math.max(begins, this.free) + bytes.length / BYTES_A_MS : begins;
    this.free = came;
    if (this.kept.length < MOST_KEPT) this.kept.push({ at, came, bytes });
    set({ count: count + 1, late: Math.max(late, came - at) });
  }

  forget(): void {
    this.kept.length = 0;
    this.free = 0;
    set({ count: 0, lost: 0, late: 0 });
  }
}

export const simulated = new Simulated();
