/**
 * Zones (MPE, M1-100) for a synth that knows channels alone: what the manager says goes to all of its members, and how far
 * one member bends is how far they all do.
 */
import type { Bytes } from "./gear";

const PARAMETERS = new Set([6, 38, 96, 97, 98, 99, 100, 101]);

export class Members {
  private members: readonly number[] = [];
  private manager = 0;
  private chosen = 0x3fff;

  /** The messages that one comes to. */
  spread(bytes: Bytes): Bytes[] {
    const [status, one, two = 0] = bytes;
    const [kind, channel] = [status & 0xf0, status & 0x0f];
    if (kind === 0xb0) this.follow(channel, one, two);
    const rest = bytes.slice(1);
    const to = (channels: readonly number[]) => channels.map((each) => [kind | each, ...rest]);
    if (!this.members.length) return [bytes];
    const isParameter = kind === 0xb0 && PARAMETERS.has(one);
    if (channel === this.manager) {
      // Notes and its own bend are its own; what it says of ranges is, too.
      const goesOn = (kind === 0xb0 && !isParameter) || kind === 0xc0 || kind === 0xd0;
      return goesOn ? [bytes, ...to(this.members)] : [bytes];
    }
    return isParameter && this.members.includes(channel) ? to(this.members) : [bytes];
  }

  private follow(channel: number, number: number, value: number): void {
    if (channel !== 0 && channel !== 15) return;
    if (number === 101) this.chosen = (this.chosen & 0x7f) | (value << 7);
    else if (number === 100) this.chosen = (this.chosen & 0x3f80) | value;
    else if (number === 6 && this.chosen === 6) {
      if (!value && channel !== this.manager) return;
      this.manager = channel;
      const count = Math.min(value, 15);
      this.members = Array.from({ length: count }, (_, row) => (channel ? 14 - row : 1 + row));
    }
  }
}
