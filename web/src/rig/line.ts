/** One part on its way to one output: on which channel its messages go, and what has to be let go of there. */
import { lettingGo, noMembers } from "../sound/messages";
import { Members } from "./members";
import type { Out } from "./simulated";

export class Line {
  /** Keys that are down, as channel and key. */
  private readonly keys = new Set<number>();
  /** Channels on which something was struck or pedalled since all was let go. */
  private readonly channels = new Set<number>();
  private readonly zone = new Members();
  /** When the latest message that has left is meant to be there: it cannot be called back. */
  private last = 0;

  constructor(private readonly out: () => Out | null) {}

  /** `channel`: 1 to 16; 0: the one that the message has. Notes in a zone keep theirs, since each has its own. */
  send(bytes: readonly number[], at: number, channel: number): void {
    this.zone.follow(bytes);
    const [kind, own] = [bytes[0]! & 0xf0, bytes[0]! & 0x0f];
    const to = channel && !this.zone.count ? channel - 1 : own;
    const [, key = 0, force = 0] = bytes;
    if (kind === 0x90 && force) this.keys.add((to << 7) | key);
    else if (kind === 0x80 || kind === 0x90) this.keys.delete((to << 7) | key);
    if (kind === 0x90 || (kind === 0xb0 && (key === 64 || key === 66))) this.channels.add(to);
    this.pass([kind | to, ...bytes.slice(1)], at);
  }

  /** Keys and pedals up, and all notes off: at once, and again behind what has already left. */
  hush(at: number): void {
    if (!this.channels.size) return;
    const last = this.last;
    for (const when of last > at ? [at, last + 1] : [at]) {
      for (const place of this.keys) this.pass([0x80 | (place >> 7), place & 0x7f, 64], when);
      for (const channel of this.channels)
        for (const bytes of lettingGo(0xb0 | channel)) this.pass(bytes, when);
    }
    this.keys.clear();
    this.channels.clear();
  }

  /** Its notes have no channels of their own any longer. */
  endZone(at: number): void {
    const { manager, count } = this.zone;
    if (!count) return;
    for (const bytes of noMembers(0xb0 | manager)) {
      this.zone.follow(bytes);
      this.pass(bytes, at);
    }
  }

  private pass(bytes: number[], at: number): void {
    this.last = Math.max(this.last, at);
    this.out()?.send(bytes, at);
  }
}
