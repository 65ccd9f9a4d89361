/// <reference types="@types/audioworklet" />
/** One note as it sounds. */
import { DETUNE_CENTS, type Instrument, type Own } from "./instrument";
import { type Patch, USUAL } from "./patches";

export const MOST_PARTIALS = 16;
export const BLOCK = 128;
/** Below this a partial is not heard. */
export const FAINT = 1e-5;
export const TWO_PI = 2 * Math.PI;

/** What the lanes of a part make of the sound of its voices. */
export type Colour = Pick<Instrument, "brightness" | "resonance" | "detune" | "pedal">;

/** A sustain pedal holds from here on (MIDI 1.0), and from there on no damper touches anything. */
export const HOLDS_FROM = 64;
const FREE_FROM = 100;
/** So many times a note's release does it fade where dampers just touch, and where they hardly do. */
const TOUCHED = 6;
const FREE = 80;
/** The soft pedal takes so much of the force of a strike. */
export const SOFTENED = 0.3;

export class Voice {
  active = false;
  held = false;
  /** Let go by the finger, and held by sustain; its key was down when sostenuto went down. */
  sustained = false;
  caught = false;
  part = 0;
  channel = 0;
  pitch = 0;
  age = 0;
  private dice = 1;
  /** What its key, or its channel, says to it alone. */
  own: Own | null = null;
  private patch: Patch = USUAL;
  private readonly phases = new Float64Array(2 * MOST_PARTIALS);
  private readonly strengths = new Float64Array(MOST_PARTIALS);
  private readonly falls = new Float64Array(MOST_PARTIALS);
  private readonly envelope = new Float64Array(BLOCK);
  private hertz = 440;
  private hiss = 0;
  private hissFall = 0;
  private loudness = 0;
  private rise = 0;
  private fade = 1;

  start(part: number, pitch: number, velocity: number, patch: Patch, age: number): void {
    const force = velocity / 127;
    const key = patch.keys?.[pitch];
    this.hertz = key?.hertz ?? 440 * 2 ** ((pitch - 69) / 12);
    const noise = key?.noise ?? patch.noise;
    this.hiss = noise ? noise[0] * force : 0;
    this.hissFall = noise ? 0.001 ** (1 / (noise[1] * sampleRate)) : 0;
    const ring = key?.ring ?? 1;
    this.active = this.held = true;
    this.sustained = this.caught = false;
    this.part = part;
    this.pitch = pitch;
    this.age = age;
    this.dice = Math.imul(age, 0x9e3779b1) | 1;
    this.patch = patch;
    this.rise = 0;
    this.fade = 1;
    this.strengths.fill(0);
    this.loudness = patch.gain * force ** 1.6;
    const brightness = patch.dull + (patch.bright - patch.dull) * force;
    const frequency = this.hertz;
    patch.partials.forEach(([ratio, strength, fall], k) => {
      // Partials beyond hearing would fold back as noise.
      this.strengths[k] = ratio * frequency < sampleRate * 0.45 ? strength * brightness ** (ratio - 1) : 0;
      // Low notes ring longer, high ones shorter.
      this.falls[k] =
        fall === Infinity
          ? 1
          : 0.001 ** (1 / (fall * ring * Math.min(2, (440 / frequency) ** 0.5) * sampleRate));
    });
    this.phases.fill(0);
  }

  /** From -1 to 1, the same for the same strike each time (xorshift): two renderings are the same bytes. */
  private noise(): number {
    this.dice ^= this.dice << 13;
    this.dice ^= this.dice >>> 17;
    this.dice ^= this.dice << 5;
    return this.dice / 0x80000000;
  }

  /** How loud it is now: the quietest gives way when all are in use. */
  get presence(): number {
    return this.loudness * this.fade * (this.held ? 2 : 1);
  }

  /** How much is left of it after a frame: dampers that a pedal lifts in part let it fade slowly. */
  private fading(pedal: number): number {
    if (this.held || this.caught) return 1;
    const seconds = this.patch.release;
    if (!this.sustained) return 0.001 ** (1 / (seconds * sampleRate));
    if (pedal >= FREE_FROM) return 1;
    const share = (pedal - HOLDS_FROM) / (FREE_FROM - HOLDS_FROM);
    return 0.001 ** (1 / (seconds * (TOUCHED + (FREE - TOUCHED) * share ** 2) * sampleRate));
  }

  render(out: Float32Array, from: number, to: number, bend: number, colour: Colour): void {
    const { partials, attack } = this.patch;
    const frequency = this.hertz * 2 ** (bend / 12);
    const rank = this.patch.rank + colour.detune * DETUNE_CENTS;
    const tilt = 1.35 ** colour.brightness;
    const peak = 2 + 4 * (colour.brightness + 1.5);
    const frames = to - from;
    const fading = this.fading(colour.pedal);
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
      if (this.strengths[k]! < FAINT) continue;
      for (let place = 0; place < ranks.length; place++) {
        const step = (TWO_PI * frequency * partials[k]![0] * ranks[place]!) / sampleRate;
        const slot = k + place * MOST_PARTIALS;
        const ratio = partials[k]![0];
        const ringing = 1 + 4 * colour.resonance * Math.exp(-((ratio - peak) ** 2) / 2);
        const strength = this.strengths[k]! * Math.min(tilt ** (ratio - 1), 8) * ringing * (rank ? 0.6 : 1);
        this.add(out, from, frames, slot, step, strength, this.falls[k]!);
      }
      this.strengths[k]! *= this.falls[k]! ** frames;
    }
    if (this.hiss > FAINT) {
      for (let i = 0; i < frames; i++) {
        out[from + i]! += this.noise() * this.hiss * envelope[i]! * 0.5;
        this.hiss *= this.hissFall;
      }
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
    const phase = this.phases[slot]!;
    const turn = 2 * Math.cos(step);
    let before = Math.sin(phase - step);
    let now = Math.sin(phase);
    let level = strength;
    for (let i = 0; i < frames; i++) {
      out[from + i]! += now * level * envelope[i]!;
      const next = turn * now - before;
      before = now;
      now = next;
      level *= fall;
    }
    this.phases[slot] = (phase + step * frames) % TWO_PI;
  }
}
