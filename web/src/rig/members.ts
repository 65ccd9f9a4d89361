/**
 * Zones (MPE, M1-100) for a synth that knows channels alone: what the manager says goes to all of its members, how far one
 * member bends is how far they all do, and how far the manager is bent comes on top of each.
 */
import type { Bytes } from "./gear";

const PARAMETERS = new Set([6, 38, 96, 97, 98, 99, 100, 101]);
const NO_PARAMETER = 0x3fff;
const [RANGE, ZONE] = [0, 6];
const MIDDLE = 8192;
/** Semitones that a manager and its members bend where nothing is said (M1-100, 2.4). */
const [MANAGER_RANGE, MEMBER_RANGE] = [2, 48];

export class Members {
  private members: readonly number[] = [];
  manager = 0;
  /** Of each channel the registered parameter that is chosen, its bend (-1 to 1), and of each zone's two ranges. */
  private readonly chosen = new Map<number, number>();
  private readonly bends = new Map<number, number>();
  private ranges = { manager: MANAGER_RANGE, members: MEMBER_RANGE };

  /** So many members a zone has; 0: there is none. */
  get count(): number {
    return this.members.length;
  }

  /** The messages that one comes to. */
  spread(bytes: Bytes): Bytes[] {
    const [status = 0, one = 0] = bytes;
    const [kind, channel] = [status & 0xf0, status & 0x0f];
    this.follow(bytes);
    const rest = bytes.slice(1);
    const to = (channels: readonly number[]) => channels.map((each) => [kind | each, ...rest]);
    if (!this.members.length) return [bytes];
    const isParameter = kind === 0xb0 && PARAMETERS.has(one);
    const isMember = this.members.includes(channel);
    if (channel === this.manager) {
      if (kind === 0xe0) return [bytes, ...this.members.map((member) => this.bent(member))];
      // Its notes are its own; what it says of ranges is, too.
      const goesOn = (kind === 0xb0 && !isParameter) || kind === 0xc0 || kind === 0xd0;
      return goesOn ? [bytes, ...to(this.members)] : [bytes];
    }
    if (isMember && kind === 0xe0) return [this.bent(channel)];
    return isParameter && isMember ? to(this.members) : [bytes];
  }

  /** A member's bend, with its manager's on top. */
  private bent(member: number): Bytes {
    const { manager, members } = this.ranges;
    const semitones = (this.bends.get(member) ?? 0) * members + (this.bends.get(this.manager) ?? 0) * manager;
    const steps = Math.round((semitones / Math.max(members, 0.01)) * MIDDLE) + MIDDLE;
    const kept = Math.min(Math.max(steps, 0), 2 * MIDDLE - 1);
    return [0xe0 | member, kept & 0x7f, kept >> 7];
  }

  /** Take notice of what a message says of zones. */
  follow([status = 0, number = 0, value = 0]: Bytes): void {
    const [kind, channel] = [status & 0xf0, status & 0x0f];
    if (kind === 0xe0) this.bends.set(channel, (number + (value << 7)) / MIDDLE - 1);
    if (kind !== 0xb0) return;
    const chosen = this.chosen.get(channel) ?? NO_PARAMETER;
    if (number === 101) this.chosen.set(channel, (chosen & 0x7f) | (value << 7));
    else if (number === 100) this.chosen.set(channel, (chosen & 0x3f80) | value);
    else if (number === 6 && chosen === ZONE) this.zoned(channel, value);
    else if ((number === 6 || number === 38) && chosen === RANGE) this.ranged(channel, number === 38, value);
  }

  private zoned(channel: number, value: number): void {
    if ((channel !== 0 && channel !== 15) || (!value && channel !== this.manager)) return;
    this.manager = channel;
    const count = Math.min(value, 15);
    this.members = Array.from({ length: count }, (_, row) => (channel ? 14 - row : 1 + row));
    this.ranges = { manager: MANAGER_RANGE, members: MEMBER_RANGE };
    this.bends.clear();
  }

  private ranged(channel: number, isCents: boolean, value: number): void {
    const whose = channel === this.manager ? "manager" : "members";
    if (whose === "members" && !this.members.includes(channel)) return;
    const known = this.ranges[whose];
    this.ranges[whose] = isCents ? Math.floor(known) + value / 100 : value;
  }
}
