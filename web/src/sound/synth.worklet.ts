/// <reference types="@types/audioworklet" />
/**
 * The practice synth. It receives plain MIDI bytes with time stamps, one instrument a part, and stands in for real gear:
 * it knows nothing of Lull. Velocity makes a note louder *and* brighter, as on a struck or blown instrument.
 */
import type { Batch } from "./messages";

export type Order =
  /** `ends`: what these messages are for, where they are none of the take's. */
  | ({ kind: "play"; clearFrom: number | null; ends?: "hush" | "no zone" } & Batch)
  | { kind: "patches"; patches: string[] }
  | { kind: "routes"; routes: Route[][] }
  /** Of each part the keys that sound no note, but say how what follows is played. */
  | { kind: "cues"; keys: number[][] }
  | { kind: "level"; level: number };

/** What a lane of a part also moves: by `amount` of the target's full reach, either way. */
export interface Route {
  lane: string;
  target: Target;
  amount: number;
}

type Target = "level" | "brightness" | "vibrato" | "pan" | "resonance" | "detune";

const VOICES = 48;
const MOST_PARTIALS = 16;
const BLOCK = 128;
/** Time constant with which level and pan follow their controllers. */
const GLIDE_SECONDS = 0.008;
/** The same for pitch: longer than two events of a bend lie apart, so that none is heard as a step. */
const BEND_SECONDS = 0.003;
/** While the pitch moves, it is worked out anew after so many frames; nearer than this it has arrived (semitones). */
const BEND_FRAMES = 16;
const ARRIVED = 5e-4;
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
  /** A burst of noise at the strike: strength and seconds to fall by 60 dB. */
  noise?: readonly [number, number];
  /** Keys that are instruments of their own: hertz of the lowest partial, noise, and how long all of it rings. */
  keys?: Record<number, { hertz: number; noise: readonly [number, number]; ring: number }>;
}

const REED_PARTIALS = Array.from(
  { length: 14 },
  (_, k) => [k + 1, (k % 2 ? 0.75 : 1) / (k + 1) ** 0.55, Infinity] as const,
);

/** Modes of a circular membrane: zeros of the Bessel functions over the first (2.405). */
const MEMBRANE = [1, 1.593, 2.136, 2.295, 2.653, 2.917, 3.155, 3.5];

const PATCHES: Record<string, Patch> = {
  "bowed glass": {
    partials: [1, 2, 3.01, 4.02, 5.04, 6.1, 8.2].map(
      (ratio, k) => [ratio, 0.9 / (k + 1) ** 1.1, Infinity] as const,
    ),
    attack: 0.11,
    release: 0.55,
    dull: 0.4,
    bright: 0.85,
    rank: 4,
    gain: 0.2,
  },
  "frame drum": {
    partials: MEMBRANE.map((ratio, k) => [ratio, 0.8 / (k + 1) ** 0.6, 0.7 / (1 + k * 0.6)] as const),
    attack: 0.001,
    release: 0.3,
    dull: 0.45,
    bright: 0.95,
    rank: 0,
    gain: 0.5,
    noise: [0.25, 0.06],
    keys: {
      36: { hertz: 74, noise: [0.15, 0.05], ring: 1.6 },
      38: { hertz: 118, noise: [0.25, 0.07], ring: 1 },
      39: { hertz: 190, noise: [0.9, 0.06], ring: 0.35 },
      37: { hertz: 420, noise: [0.6, 0.03], ring: 0.2 },
      54: { hertz: 2400, noise: [0.8, 0.2], ring: 0.5 },
    },
  },
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

/** Ways of playing that cue keys call up, in the order of the keys; the first is as it was made. */
const WAYS: readonly ((patch: Patch) => Patch)[] = [
  (patch) => patch,
  (patch) => ({
    ...patch,
    attack: patch.attack * 6 + 0.05,
    bright: patch.bright * 0.85,
    gain: patch.gain * 0.9,
  }),
  (patch) => ({
    ...patch,
    release: Math.min(patch.release, 0.08),
    partials: patch.partials.map(
      ([ratio, strength, fall]) => [ratio, strength, Math.min(fall, 0.4)] as const,
    ),
  }),
  (patch) => ({ ...patch, attack: patch.attack * 0.3, dull: patch.bright * 0.9, noise: [0.4, 0.05] }),
];

/** What moves what in every patch: the wheel shakes the pitch, pressure swells, timbre brightens. */
const STANDARD: readonly Route[] = [
  { lane: "cc:1", target: "vibrato", amount: 1 },
  { lane: "pressure", target: "brightness", amount: 0.5 },
  { lane: "pressure", target: "level", amount: 0.5 },
  { lane: "cc:74", target: "brightness", amount: 1 },
  { lane: "cc:71", target: "resonance", amount: 0.5 },
];
const CENTRED = new Set(["cc:71", "cc:74"]);
const VIBRATO_HERTZ = 5.4;
const VIBRATO_SEMITONES = 0.45;
const DETUNE_CENTS = 28;
const MOST_CENTS = 127 * 100 + 99;

const RESTING: Record<Target, number> = {
  level: 0,
  brightness: 0,
  vibrato: 0,
  pan: 0,
  resonance: 0,
  detune: 0,
};

/** What the values of some lanes come to, by what moves what. */
function moved(moves: readonly Route[], values: ReadonlyMap<string, number>): Record<Target, number> {
  const to = { ...RESTING };
  for (const { lane, target, amount } of moves) {
    const value = values.get(lane);
    // Timbre and its like rest in the middle (RP-015); everything else at nothing.
    if (value !== undefined) to[target] += amount * (CENTRED.has(lane) ? 2 * value - 64 / 63.5 : value);
  }
  return to;
}

/** What one note has of its own, on top of what its part does: on a member of a zone (MPE, M1-100), or by its key. */
class Own {
  /** Where its wheel is, -1 to 1; and how far it is bent now, in semitones. */
  bend = 0;
  bent = 0;
  /** -1 to 1, from where the part is. */
  pan = 0;
  left = 1;
  right = 1;
  to = RESTING;
  private readonly values = new Map<string, number>();

  lane(key: string, value: number, moves: readonly Route[]): void {
    this.values.set(key, value);
    this.to = moved(moves, this.values);
  }

  reset(): void {
    this.bend = 0;
    this.values.clear();
    this.to = RESTING;
  }

  /** A note that is struck begins where it is told to: nothing of the one before it glides. */
  settle(range: number): void {
    this.bent = this.bend * range;
    [this.left, this.right] = this.target;
  }

  follow(frames: number, range: number): void {
    const to = this.bend * range;
    this.bent += (to - this.bent) * (1 - Math.exp(-frames / (BEND_SECONDS * sampleRate)));
    if (Math.abs(to - this.bent) < ARRIVED) this.bent = to;
  }

  /** How much of it goes to either side, 1 where it is as its part is. */
  get target(): [number, number] {
    const lift = Math.max(1 + this.to.level, 0);
    const aside = Math.min(Math.max(this.pan + this.to.pan / 2, -1), 1);
    return [lift * Math.min(1 - aside, 1), lift * Math.min(1 + aside, 1)];
  }
}

const FIRST_RANGE = { member: 48, manager: 2 };

/** One part's instrument: the state that its controllers have put it in. */
class Instrument {
  patch: Patch = PATCHES["thumb piano"]!;
  /** Keys that sound no note, ascending; and which of them was struck last: kept from play to play. */
  cues: readonly number[] = [];
  way = 0;
  volume = 100 / 127;
  expression = 1;
  pan = 0.5;
  /** How deep the pedals are, 0 to 127: sustain; sostenuto is down or up; soft. */
  pedal = 0;
  sostenuto = false;
  soft = 0;
  /** Where the wheel is, -1 to 1; and how far it goes, in semitones: kept from play to play, as real gear keeps it. */
  bend = 0;
  range = 2;
  /** How far the voices are bent now, in semitones: it glides to where the wheel is. */
  bent = 0;
  private moves = STANDARD;
  /** The last value of every lane, 0 to 1 (bend: -1 to 1): kept from play to play, as real gear keeps it. */
  private readonly values = new Map<string, number>();
  /** What the lanes come to: how bright (0 is as struck), how much vibrato, resonance and detune. */
  brightness = 0;
  vibrato = 0;
  resonance = 0;
  detune = 0;
  private lift = 1;
  private aside = 0;
  private rpn = 0x3fff;
  private left = 0;
  private right = 0;
  /** The members of its zone, by their channels; none, where all of its notes share one. */
  readonly members = new Map<number, Own>();
  memberRange = FIRST_RANGE.member;
  private memberRpn = 0x3fff;

  constructor() {
    this.settle();
  }

  /** What its lanes move beside what is standard. */
  route(routes: readonly Route[]): void {
    this.moves = [...STANDARD, ...routes];
    this.listen();
  }

  /** A lane has a new value: all that it moves is worked out anew. */
  lane(key: string, value: number): void {
    this.values.set(key, value);
    this.listen();
  }

  private listen(): void {
    const to = moved(this.moves, this.values);
    this.brightness = Math.min(Math.max(to.brightness, -1.5), 1.5);
    this.vibrato = Math.min(Math.abs(to.vibrato), 1);
    this.resonance = Math.min(Math.max(to.resonance, 0), 1);
    this.detune = Math.min(Math.abs(to.detune), 1);
    this.lift = Math.max(1 + to.level, 0);
    this.aside = to.pan;
  }

  controller(number: number, value: number): void {
    this.lane(`cc:${number}`, value / 127);
    if (number === 7) this.volume = value / 127;
    else if (number === 11) this.expression = value / 127;
    else if (number === 10) this.pan = value / 127;
    else if (number === 101) this.rpn = (this.rpn & 0x7f) | (value << 7);
    else if (number === 100) this.rpn = (this.rpn & 0x3f80) | value;
    else if (number === 98 || number === 99) this.rpn = 0x3fff;
    else if (number === 6 && this.rpn === 0) this.range = value;
    else if (number === 38 && this.rpn === 0) this.range = Math.floor(this.range) + value / 100;
    else if ((number === 96 || number === 97) && this.rpn === 0) {
      // RP-018: by one cent.
      const cents = Math.round(this.range * 100) + (number === 96 ? 1 : -1);
      this.range = Math.min(Math.max(cents, 0), MOST_CENTS) / 100;
    } else if (number === 121) {
      this.expression = 1;
      this.bend = 0;
      this.rpn = 0x3fff;
      this.values.clear();
      for (const own of this.members.values()) own.reset();
      this.listen();
    }
  }

  /** A zone is set up from the manager on (M1-100, 2.1): its members, and the ranges that both begin with. */
  setUp(manager: number, count: number): void {
    const channels = Array.from({ length: Math.min(count, 15) }, (_, place) =>
      manager === 0 ? place + 1 : 14 - place,
    );
    // The same zone once more is no other: what sounds in it goes on being told.
    const same = channels.length === this.members.size && channels.every((one) => this.members.has(one));
    if (!same) {
      this.members.clear();
      for (const channel of channels) this.members.set(channel, new Own());
    }
    if (!count) return;
    this.memberRange = FIRST_RANGE.member;
    this.range = FIRST_RANGE.manager;
  }

  /** Whether a data entry of a manager sets a zone up. */
  setsUp(channel: number, number: number): boolean {
    return number === 6 && this.rpn === 6 && (channel === 0 || channel === 15);
  }

  /** A controller of one member. A range that one is told is that of all. */
  ofMember(own: Own, number: number, value: number): void {
    if (number === 101) this.memberRpn = (this.memberRpn & 0x7f) | (value << 7);
    else if (number === 100) this.memberRpn = (this.memberRpn & 0x3f80) | value;
    else if (number === 6 && this.memberRpn === 0) this.memberRange = value;
    else if (number === 38 && this.memberRpn === 0)
      this.memberRange = Math.floor(this.memberRange) + value / 100;
    else if (number === 121) own.reset();
    else if (number === 10) own.pan = value / 63.5 - 64 / 63.5;
    else own.lane(`cc:${number}`, value / 127, this.moves);
  }

  pressed(own: Own, value: number): void {
    own.lane("pressure", value, this.moves);
  }

  /** MIDI's recommended curve: level falls with the square of the controllers (GM, CC 7 and CC 11). */
  private get target(): [number, number] {
    const level = (this.volume * this.expression) ** 2 * Math.SQRT2 * this.lift;
    const angle = (Math.min(Math.max(this.pan + this.aside / 2, 0), 1) * Math.PI) / 2;
    return [level * Math.cos(angle), level * Math.sin(angle)];
  }

  /** Add what its voices make to both sides. Level and pan glide to their new values: steps of a controller must not click. */
  mix(voices: Sides, left: Float32Array, right: Float32Array, from: number, to: number): void {
    const [toLeft, toRight] = this.target;
    const share = 1 - Math.exp(-1 / (GLIDE_SECONDS * sampleRate));
    for (let i = from; i < to; i++) {
      this.left += (toLeft - this.left) * share;
      this.right += (toRight - this.right) * share;
      left[i]! += voices.left[i]! * this.left;
      right[i]! += voices.right[i]! * this.right;
    }
  }

  /** So many frames nearer to where the wheel is; whether it has arrived there. */
  follow(frames: number): boolean {
    const to = this.bend * this.range;
    this.bent += (to - this.bent) * (1 - Math.exp(-frames / (BEND_SECONDS * sampleRate)));
    if (Math.abs(to - this.bent) < ARRIVED) this.bent = to;
    return this.bent === to;
  }

  /** While nothing sounds there is nothing to glide. */
  settle(): void {
    [this.left, this.right] = this.target;
    this.bent = this.bend * this.range;
  }
}

/** What the voices of a part come to on either side, before its level and its place. */
interface Sides {
  left: Float32Array;
  right: Float32Array;
}

/** What the lanes of a part make of the sound of its voices. */
type Colour = Pick<Instrument, "brightness" | "resonance" | "detune" | "pedal">;

/** A sustain pedal holds from here on (MIDI 1.0), and from there on no damper touches anything. */
const HOLDS_FROM = 64;
const FREE_FROM = 100;
/** So many times a note's release does it fade where dampers just touch, and where they hardly do. */
const TOUCHED = 6;
const FREE = 80;
/** The soft pedal takes so much of the force of a strike. */
const SOFTENED = 0.3;

class Voice {
  active = false;
  held = false;
  /** Let go by the finger, and held by sustain; its key was down when sostenuto went down. */
  sustained = false;
  caught = false;
  part = 0;
  channel = 0;
  pitch = 0;
  age = 0;
  /** What its key, or its channel, says to it alone. */
  own: Own | null = null;
  private patch: Patch = PATCHES["thumb piano"]!;
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
        out[from + i]! += (Math.random() * 2 - 1) * this.hiss * envelope[i]! * 0.5;
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

class PracticeSynth extends AudioWorkletProcessor {
  private readonly voices = Array.from({ length: VOICES }, () => new Voice());
  private readonly instruments: Instrument[] = [];
  private queue: { time: number; part: number; status: number; one: number; two: number }[] = [];
  private next = 0;
  private struck = 0;
  private level = 1;
  private readonly mono = new Float32Array(BLOCK);
  private readonly sides: Sides = { left: new Float32Array(BLOCK), right: new Float32Array(BLOCK) };

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
        this.instrument(part).patch = PATCHES[name] ?? PATCHES["thumb piano"]!;
      });
    } else if (order.kind === "routes") {
      order.routes.forEach((routes, part) => {
        this.instrument(part).route(routes);
      });
    } else if (order.kind === "cues") {
      order.keys.forEach((keys, part) => {
        const instrument = this.instrument(part);
        instrument.cues = keys;
        if (!keys.length) instrument.way = 0;
      });
    } else {
      const { clearFrom, times, parts, bytes } = order;
      const kept = this.queue.slice(this.next).filter(({ time }) => clearFrom === null || time < clearFrom);
      const added = Array.from(times, (time, i) => ({
        time,
        part: parts[i]!,
        status: bytes[i * 3]!,
        one: bytes[i * 3 + 1]!,
        two: bytes[i * 3 + 2]!,
      }));
      // Both are in order; a stable sort keeps messages of one time as they came.
      this.queue = [...kept, ...added].sort((a, b) => a.time - b.time);
      this.next = 0;
    }
  }

  private receive(part: number, status: number, one: number, two: number): void {
    const instrument = this.instrument(part);
    const kind = status & 0xf0;
    const channel = status & 0x0f;
    const member = instrument.members.get(channel);
    if (kind === 0x90 && two > 0) this.strike(part, channel, one, two);
    else if (kind === 0x80 || kind === 0x90) this.release(part, channel, one);
    else if (kind === 0xa0) this.press(part, one, two);
    else if (member && kind === 0xd0) instrument.pressed(member, one / 127);
    else if (member && kind === 0xe0) member.bend = ((one | (two << 7)) - 8192) / 8192;
    else if (member && kind === 0xb0 && one < 120) instrument.ofMember(member, one, two);
    else if (kind === 0xb0 && instrument.setsUp(channel, one)) instrument.setUp(channel, two);
    else if (kind === 0xd0) instrument.lane("pressure", one / 127);
    else if (kind === 0xe0) {
      instrument.bend = ((one | (two << 7)) - 8192) / 8192;
      instrument.lane("bend", instrument.bend);
    } else if (kind === 0xb0) {
      if (one === 64) this.pedal(part, two);
      else if (one === 66) this.sostenuto(part, two >= HOLDS_FROM);
      else if (one === 67) instrument.soft = two;
      else if (one === 121) {
        this.pedal(part, 0);
        this.sostenuto(part, false);
        instrument.soft = 0;
        instrument.controller(one, two);
      } else if (one === 120 || one === 123) this.allOff(part, one === 120);
      else instrument.controller(one, two);
    }
  }

  /** The pressure of one key: of its note that was struck last. */
  private press(part: number, pitch: number, value: number): void {
    const voices = this.voices.filter((one) => one.active && one.part === part && one.pitch === pitch);
    const voice = voices.reduce((a, b) => (b.age > a.age ? b : a), voices[0]!);
    if (!voice) return;
    voice.own ??= new Own();
    this.instrument(part).pressed(voice.own, value / 127);
  }

  private strike(part: number, channel: number, pitch: number, velocity: number): void {
    const cue = this.instrument(part).cues.indexOf(pitch);
    if (cue >= 0) {
      this.instrument(part).way = cue % WAYS.length;
      return;
    }
    // After a rest nothing is left that could glide.
    if (!this.voices.some((voice) => voice.active && voice.part === part)) this.instrument(part).settle();
    const free = this.voices.find((voice) => !voice.active);
    const voice = free ?? this.voices.reduce((a, b) => (b.presence < a.presence ? b : a));
    const instrument = this.instrument(part);
    const force = velocity * (1 - (SOFTENED * instrument.soft) / 127);
    voice.start(part, pitch, force, WAYS[instrument.way]!(instrument.patch), ++this.struck);
    voice.channel = channel;
    voice.own = instrument.members.get(channel) ?? null;
    voice.own?.settle(instrument.memberRange);
  }

  /** Let go the note of a key that has sounded longest. */
  private release(part: number, channel: number, pitch: number): void {
    let oldest: Voice | undefined;
    for (const voice of this.voices) {
      if (!voice.active || !voice.held || voice.part !== part || voice.pitch !== pitch) continue;
      if (voice.channel !== channel) continue;
      if (!oldest || voice.age < oldest.age) oldest = voice;
    }
    if (!oldest) return;
    oldest.held = false;
    oldest.sustained = this.instrument(part).pedal >= HOLDS_FROM;
  }

  /** A note that rings on is taken up again by no pedal: what has begun to fade fades. */
  private pedal(part: number, depth: number): void {
    const instrument = this.instrument(part);
    instrument.pedal = depth;
    const down = depth >= HOLDS_FROM;
    for (const voice of this.voices) {
      if (voice.part !== part) continue;
      // What only sostenuto holds is held by both from now on.
      if (!down) voice.sustained = false;
      else if (voice.caught && !voice.held) voice.sustained = true;
    }
  }

  /** Sostenuto holds the keys that are down as it goes down, and no others. */
  private sostenuto(part: number, down: boolean): void {
    const instrument = this.instrument(part);
    if (down === instrument.sostenuto) return;
    instrument.sostenuto = down;
    for (const voice of this.voices) if (voice.part === part) voice.caught = down && voice.held;
  }

  private allOff(part: number, atOnce: boolean): void {
    for (const voice of this.voices) {
      if (voice.part !== part) continue;
      voice.held = false;
      voice.sustained = !atOnce && this.instrument(part).pedal >= HOLDS_FROM;
      if (atOnce) voice.active = voice.caught = false;
    }
  }

  process(_inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const [left, right] = outputs[0] as [Float32Array, Float32Array];
    const frames = left.length;
    let from = 0;
    while (from < frames) {
      let to = frames;
      while (this.next < this.queue.length) {
        const event = this.queue[this.next]!;
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
      left[i] = Math.tanh(left[i]! * this.level);
      right[i] = Math.tanh(right[i]! * this.level);
    }
    return true;
  }

  private render(left: Float32Array, right: Float32Array, from: number, to: number): void {
    const sway = VIBRATO_SEMITONES * Math.sin(TWO_PI * VIBRATO_HERTZ * currentTime);
    this.instruments.forEach((instrument, part) => {
      const voices = this.voices.filter((voice) => voice.active && voice.part === part);
      if (!voices.length) {
        instrument.settle();
        return;
      }
      const { left: one, right: other } = this.sides;
      one.fill(0, from, to);
      const alone = voices.filter((voice) => voice.own);
      for (let at = from; at < to; ) {
        const isThere = instrument.follow(Math.min(BEND_FRAMES, to - at)) && !alone.length;
        const until = isThere ? to : Math.min(at + BEND_FRAMES, to);
        const bend = instrument.bent + instrument.vibrato * sway;
        for (const voice of voices) if (!voice.own) voice.render(one, at, until, bend, instrument);
        other.set(one.subarray(at, until), at);
        for (const voice of alone) this.renderAlone(voice, instrument, at, until, bend, sway);
        at = until;
      }
      instrument.mix(this.sides, left, right, from, to);
    });
  }

  /** A voice that has something of its own: added to both sides as loud as it is there. */
  private renderAlone(
    voice: Voice,
    instrument: Instrument,
    from: number,
    to: number,
    bend: number,
    sway: number,
  ): void {
    const own = voice.own as Own;
    const { left, right } = this.sides;
    own.follow(to - from, instrument.memberRange);
    this.mono.fill(0, from, to);
    const colour = {
      brightness: Math.min(Math.max(instrument.brightness + own.to.brightness, -1.5), 1.5),
      resonance: Math.min(Math.max(instrument.resonance + own.to.resonance, 0), 1),
      detune: Math.min(Math.abs(instrument.detune + own.to.detune), 1),
      pedal: instrument.pedal,
    };
    const shake = Math.min(Math.abs(own.to.vibrato), 1) * sway;
    voice.render(this.mono, from, to, bend + own.bent + shake, colour);
    const [toLeft, toRight] = own.target;
    const share = 1 - Math.exp(-1 / (GLIDE_SECONDS * sampleRate));
    for (let i = from; i < to; i++) {
      own.left += (toLeft - own.left) * share;
      own.right += (toRight - own.right) * share;
      left[i]! += this.mono[i]! * own.left;
      right[i]! += this.mono[i]! * own.right;
    }
  }
}

registerProcessor("practice-synth", PracticeSynth);
