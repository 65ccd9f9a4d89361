/** Two renderings heard at equal loudness, at one place: from one to the other in the middle of a bar, without a click. */
import { player } from "./player";
import { RATE, type Rendering, rendered } from "./wav";

/** Seconds in which one gives way to the other. */
const TURN_SECONDS = 0.015;
/** Stretches that are looked at for how loud they are; what is softer than that counts as silence. */
const BLOCK = 2_205;
const SILENCE = 1e-5;

export type Which = 0 | 1;

export class TwoVersions {
  private sources: AudioBufferSourceNode[] = [];
  private readonly gains: GainNode[];
  private heard: Which = 0;
  playing = false;

  private constructor(
    private readonly context: AudioContext,
    private readonly buffers: AudioBuffer[],
    private readonly levels: readonly number[],
  ) {
    this.gains = buffers.map(() => new GainNode(context, { gain: 0 }));
    for (const gain of this.gains) gain.connect(context.destination);
  }

  static async of(asked: readonly [Rendering, Rendering], onShare: (share: number) => void) {
    const buffers: AudioBuffer[] = [];
    for (const [row, one] of asked.entries()) {
      const pieces: Int16Array[] = [];
      for await (const piece of rendered({ ...one, onShare: (share) => onShare((row + share) / 2) }))
        pieces.push(piece);
      buffers.push(bufferOf(pieces));
    }
    const loud = buffers.map(loudness);
    // The louder comes down to the softer: nothing is pressed against a ceiling.
    const level = Math.min(...loud.filter((one) => one > 0), Number.POSITIVE_INFINITY);
    const levels = loud.map((one) => (one > 0 && Number.isFinite(level) ? level / one : 1));
    const made = new TwoVersions(player.audio, buffers, levels);
    made.offer();
    return made;
  }

  /** For scripts in the page (the tests among them): how much each is let through, now and at most. */
  offer(): void {
    window.lull = {
      ...window.lull,
      versions: () => this.gains.map(({ gain }) => gain.value),
      turnedDown: () => this.levels,
    } as typeof window.lull;
  }

  /** Both from the start on, round and round; one of them is heard. */
  play(which: Which): void {
    this.stop();
    void this.context.resume();
    const at = this.context.currentTime + 0.05;
    this.sources = this.buffers.map((buffer, row) => {
      const source = new AudioBufferSourceNode(this.context, { buffer, loop: true });
      source.connect(this.gains[row]!);
      source.start(at);
      return source;
    });
    this.playing = true;
    this.turnTo(which);
  }

  turnTo(which: Which): void {
    this.heard = which;
    if (!this.playing) return;
    const now = this.context.currentTime;
    this.gains.forEach(({ gain }, row) => {
      gain.cancelScheduledValues(now);
      gain.setValueAtTime(gain.value, now);
      gain.linearRampToValueAtTime(row === this.heard ? this.levels[row]! : 0, now + TURN_SECONDS);
    });
  }

  stop(): void {
    for (const source of this.sources) source.stop();
    this.sources = [];
    this.playing = false;
    for (const { gain } of this.gains) gain.value = 0;
  }
}

function bufferOf(pieces: readonly Int16Array[]): AudioBuffer {
  const frames = pieces.reduce((sum, piece) => sum + piece.length / 2, 0);
  const buffer = new AudioBuffer({ length: frames, numberOfChannels: 2, sampleRate: RATE });
  for (const side of [0, 1]) {
    const samples = buffer.getChannelData(side);
    let at = 0;
    for (const piece of pieces)
      for (let i = side; i < piece.length; i += 2) samples[at++] = piece[i]! / 32_767;
  }
  return buffer;
}

/** The mean square of what is not silence, as an amplitude. */
export function loudness(buffer: Pick<AudioBuffer, "getChannelData">): number {
  const sides = [buffer.getChannelData(0), buffer.getChannelData(1)] as const;
  let [sum, count] = [0, 0];
  for (let first = 0; first < sides[0].length; first += BLOCK) {
    let square = 0;
    const after = Math.min(first + BLOCK, sides[0].length);
    for (let i = first; i < after; i++) square += sides[0][i]! ** 2 + sides[1][i]! ** 2;
    if (square / (after - first) < SILENCE) continue;
    sum += square;
    count += 2 * (after - first);
  }
  return count ? Math.sqrt(sum / count) : 0;
}
