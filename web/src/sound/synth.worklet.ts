/// <reference types="@types/audioworklet" />
/**
 * The practice synth. It receives plain MIDI bytes with time stamps, one instrument a part, and stands in for real gear:
 * it knows nothing of Lull. Velocity makes a note louder *and* brighter, as on a struck or blown instrument.
 */
import type { Batch } from "./messages";

export type Order =
  | ({ kind: "play"; clearFrom: number | null } & Batch)
  | { kind: "patches"; patches: string[] }
  | { kind: "level"; level: number };

const VOICES = 48;
const MOST_PARTIALS = 16;
const BLOCK = 128;
/** Below this a partial is not heard. */
const FAINT = 1e-5;
const TWO_PI = 2 * Math.PI;

interface Patch {
  /** Partials: ratio to the pitch, strength, and seconds to fall by 60 dB (Infinity: held while the key is down). */
  partials: readonly (readonly [number, number, number])[];
  attack: number;
  release: number;
  /** The strength of partial k is multiplied by brightness to the power of its place; from soft to hard. */
  dull: number;
  bright: number;
  /** Detune of the second rank in cents; 0 for none. */
  rank: number;
  gain: number;
}

const REED_PARTIALS = Array.from(
  { length: 14 },
  (_, k) => [k + 1, (k % 2 ? 0.75 : 1) / (k + 1) ** 0.55, Infinity] as const,
);

const PATCHES: Record<string, Patch> = {
  "thumb piano": {
    partials: [
      [1, 1, 2.6],
      [2.01, 0.5, 1.2],
      [3.02, 0.4, 0.8],
      [5.43, 0.5, 0.45],
      [8.2, 0.4, 0.25],
      [11.6, 0.35, 0.12],
    ],
    attack: 0.002,
    release: 0.25,
    dull: 0.25,
    bright: 0.92,
    rank: 0,
    gain: 0.34,
  },
  "reed box": {
    partials: REED_PARTIALS,
    attack: 0.035,
    release: 0.14,
    dull: 0.45,
    bright: 0.9,
    rank: 7,
    gain: 0.1,
  },
};

/** One part's instrument: the state that its controllers have put it in. */
class Instrument {
  patch: Patch = PATCHES["thumb piano"];
  volume = 100 / 127;
  expression = 1;
  pan = 0.5;
  pedal = false;
  bend = 0;
  range = 2;
  private rpn = 0x3fff;

  controller(number: number, value: number): void {
    if (number === 7) this.volume = value / 127;
    else if (number === 11) this.expression = value / 127;
    else if (number === 10) this.pan = value / 127;
    else if (number === 101) this.rpn = (this.rpn & 0x7f) | (value << 7);
    else if (number === 100) this.rpn = (this.rpn & 0x3f80) | value;
    else if (number === 98 || number === 99) this.rpn = 0x3fff;
    else if (number === 6 && this.rpn === 0) this.range = value;
    else if (number === 38 && this.rpn === 0) this.range = Math.floor(this.range) + value / 100;
    else if (number === 121) {
      this.expression = 1;
      this.pedal = false;
      this.bend = 0;
    }
  }

  /** MIDI's recommended curve: level falls with the square of the controllers (GM, CC 7 and CC 11). */
  get level(): number {
    return (this.volume * this.expression) ** 2;
  }
}

class Voice {
  active = false;
  held = false;
  sustained = false;
  part = 0;
  pitch = 0;
  age = 0;
  private patch: Patch = PATCHES["thumb piano"];
  private readonly phases = new Float64Array(2 * MOST_PARTIALS);
  private readonly strengths = new Float64Array(MOST_PARTIALS);
  private readonly falls = new Float64Array(MOST_PARTIALS);
  private readonly envelope = new Float64Array(BLOCK);
  private loudness = 0;
  private rise = 0;
  private fade = 1;

  start(part: number, pitch: number, velocity: number, patch: Patch, age: number): void {
    const force = velocity / 127;
    this.active = this.held = true;
    this.sustained = false;
    this.part = part;
    this.pitch = pitch;
    this.age = age;
    this.patch = patch;
    this.rise = 0;
    this.fade = 1;
    this.strengths.fill(0);
    this.loudness = patch.gain * force ** 1.6;
    const brightness = patch.dull + (patch.bright - patch.dull) * force;
    const frequency = 440 * 2 ** ((pitch - 69) / 12);
    patch.partials.forEach(([ratio, strength, fall], k) => {
      // Partials beyond hearing would fold back as noise.
      this.strengths[k] = ratio * frequency < sampleRate * 0.45 ? strength * brightness ** (ratio - 1) : 0;
      // Low notes ring longer, high ones shorter.
      this.falls[k] =
        fall === Infinity ? 1 : 0.001 ** (1 / (fall * Math.min(2, (440 / frequency) ** 0.5) * sampleRate));
    });
    this.phases.fill(0);
  }

  /** How loud it is now: the quietest gives way when all are in use. */
  get presence(): number {
    return this.loudness * this.fade * (this.held ? 2 : 1);
  }

  render(out: Float32Array, from: number, to: number, bend: number): void {
    const { partials, attack, release, rank } = this.patch;
    const frequency = 440 * 2 ** ((this.pitch + bend - 69) / 12);
    const frames = to - from;
    const fading = this.held || this.sustained ? 1 : 0.001 ** (1 / (release * sampleRate));
    const rising = 1 / (attack * sampleRate);
    const envelope = this.envelope;
    let rise = this.rise;
    let fade = this.fade;
    for (let i = 0; i < frames; i++) {
      envelope[i] = this.loudness * rise * fade;
      fade *= fading;
      rise = Math.min(1, rise + rising);
    }
    this.rise = rise;
    this.fade = fade;
    const ranks = rank ? [1, 2 ** (rank / 1200)] : [1];
    for (let k = 0; k < partials.length; k++) {
      if (this.strengths[k] < FAINT) continue;
      for (let place = 0; place < ranks.length; place++) {
        const step = (TWO_PI * frequency * partials[k][0] * ranks[place]) / sampleRate;
        const slot = k + place * MOST_PARTIALS;
        this.add(out, from, frames, slot, step, this.strengths[k] * (rank ? 0.6 : 1), this.falls[k]);
      }
      this.strengths[k] *= this.falls[k] ** frames;
    }
    if (this.fade < 1e-3 || this.strengths.every((strength) => strength < FAINT)) this.active = false;
  }

  /** One partial. Each sample follows from the two before it: sin(a + w) = 2 cos(w) sin(a) - sin(a - w). */
  private add(
    out: Float32Array,
    from: number,
    frames: number,
    slot: number,
    step: number,
    strength: number,
    fall: number,
  ): void {
    const envelope = this.envelope;
    const phase = this.phases[slot];
    const turn = 2 * Math.cos(step);
    let before = Math.sin(phase - step);
    let now = Math.sin(phase);
    let level = strength;
    for (let i = 0; i < frames; i++) {
      out[from + i] += now * level * envelope[i];
      const next = turn * now - before;
      before = now;
      now = next;
      level *= fall;
    }
    this.phases[slot] = (phase + step * frames) % TWO_PI;
  }
}

class PracticeSynth extends AudioWorkletProcessor {
  private readonly voices = Array.from({ length: VOICES }, () => new Voice());
  private readonly instruments: Instrument[] = [];
  private queue: { time: number; part: number; status: number; one: number; two: number }[] = [];
  private next = 0;
  private struck = 0;
  private level = 1;
  private readonly mono = new Float32Array(BLOCK);

  constructor(options?: { processorOptions?: { orders?: Order[] } }) {
    super();
    for (const order of options?.processorOptions?.orders ?? []) this.obey(order);
    this.port.onmessage = ({ data }: MessageEvent<Order>) => this.obey(data);
  }

  private instrument(part: number): Instrument {
    this.instruments[part] ??= new Instrument();
    return this.instruments[part];
  }

  private obey(order: Order): void {
    if (order.kind === "level") this.level = order.level;
    else if (order.kind === "patches") {
      order.patches.forEach((name, part) => {
        this.instrument(part).patch = PATCHES[name] ?? PATCHES["thumb piano"];
      });
    } else {
      const { clearFrom, times, parts, bytes } = order;
      const kept = this.queue.slice(this.next).filter(({ time }) => clearFrom === null || time < clearFrom);
      const added = Array.from(times, (time, i) => ({
        time,
        part: parts[i],
        status: bytes[i * 3],
        one: bytes[i * 3 + 1],
        two: bytes[i * 3 + 2],
      }));
      // Both are in order; a stable sort keeps messages of one time as they came.
      this.queue = [...kept, ...added].sort((a, b) => a.time - b.time);
      this.next = 0;
    }
  }

  private receive(part: number, status: number, one: number, two: number): void {
    const instrument = this.instrument(part);
    const kind = status & 0xf0;
    if (kind === 0x90 && two > 0) this.strike(part, one, two);
    else if (kind === 0x80 || kind === 0x90) this.release(part, one);
    else if (kind === 0xe0) instrument.bend = ((one | (two << 7)) - 8192) / 8192;
    else if (kind === 0xb0) {
      if (one === 64) this.pedal(part, two >= 64);
      else if (one === 120 || one === 123) this.allOff(part, one === 120);
      else instrument.controller(one, two);
    }
  }

  private strike(part: number, pitch: number, velocity: number): void {
    const free = this.voices.find((voice) => !voice.active);
    const voice = free ?? this.voices.reduce((a, b) => (b.presence < a.presence ? b : a));
    voice.start(part, pitch, velocity, this.instrument(part).patch, ++this.struck);
  }

  /** Let go the note of a key that has sounded longest. */
  private release(part: number, pitch: number): void {
    let oldest: Voice | undefined;
    for (const voice of this.voices) {
      if (!voice.active || !voice.held || voice.part !== part || voice.pitch !== pitch) continue;
      if (!oldest || voice.age < oldest.age) oldest = voice;
    }
    if (!oldest) return;
    oldest.held = false;
    oldest.sustained = this.instrument(part).pedal;
  }

  private pedal(part: number, down: boolean): void {
    this.instrument(part).pedal = down;
    if (!down) for (const voice of this.voices) if (voice.part === part) voice.sustained = false;
  }

  private allOff(part: number, atOnce: boolean): void {
    for (const voice of this.voices) {
      if (voice.part !== part) continue;
      voice.held = false;
      voice.sustained = !atOnce && this.instrument(part).pedal;
      if (atOnce) voice.active = false;
    }
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const [left, right] = outputs[0];
    const frames = left.length;
    let from = 0;
    while (from < frames) {
      let to = frames;
      while (this.next < this.queue.length) {
        const event = this.queue[this.next];
        const frame = Math.round(event.time * sampleRate) - currentFrame;
        if (frame > from) {
          to = Math.min(frames, frame);
          break;
        }
        this.receive(event.part, event.status, event.one, event.two);
        this.next++;
      }
      this.render(left, right, from, to);
      from = to;
    }
    for (let i = 0; i < frames; i++) {
      // A soft ceiling: many loud voices press against it and do not crack.
      left[i] = Math.tanh(left[i] * this.level);
      right[i] = Math.tanh(right[i] * this.level);
    }
    return true;
  }

  private render(left: Float32Array, right: Float32Array, from: number, to: number): void {
    for (const voice of this.voices) {
      if (!voice.active) continue;
      const { level, pan, bend, range } = this.instrument(voice.part);
      this.mono.fill(0, from, to);
      voice.render(this.mono, from, to, bend * range);
      const toLeft = level * Math.cos((pan * Math.PI) / 2) * Math.SQRT2;
      const toRight = level * Math.sin((pan * Math.PI) / 2) * Math.SQRT2;
      for (let i = from; i < to; i++) {
        left[i] += this.mono[i] * toLeft;
        right[i] += this.mono[i] * toRight;
      }
    }
  }
}

registerProcessor("practice-synth", PracticeSynth);
