/// <reference types="@types/audioworklet" />
/** What is in force on one part: its wheel, lanes, pedals and ranges, and what single notes have of their own. */
import { type Patch, USUAL } from "./patches";

/** What a lane of a part also moves: by `amount` of the target's full reach, either way. */
export interface Route {
  lane: string;
  target: Target;
  amount: number;
}

export type Target = "level" | "brightness" | "vibrato" | "pan" | "resonance" | "detune";

/** Time constant with which level and pan follow their controllers. */
export const GLIDE_SECONDS = 0.008;
/** The same for pitch: longer than two events of a bend lie apart, so that none is heard as a step. */
export const BEND_SECONDS = 0.003;
export const ARRIVED = 5e-4;

/** What the voices of a part come to on either side, before its level and its place. */
export interface Sides {
  left: Float32Array;
  right: Float32Array;
}

/** What moves what in every patch: the wheel shakes the pitch, pressure swells, timbre brightens. */
const STANDARD: readonly Route[] = [
  { lane: "cc:1", target: "vibrato", amount: 1 },
  { lane: "pressure", target: "brightness", amount: 0.5 },
  { lane: "pressure", target: "level", amount: 0.5 },
  { lane: "cc:74", target: "brightness", amount: 1 },
  { lane: "cc:71", target: "resonance", amount: 0.5 },
];
const CENTRED = new Set(["cc:71", "cc:74"]);
export const VIBRATO_HERTZ = 5.4;
export const VIBRATO_SEMITONES = 0.45;
export const DETUNE_CENTS = 28;
const MOST_CENTS = 127 * 100 + 99;

export const RESTING: Record<Target, number> = {
  level: 0,
  brightness: 0,
  vibrato: 0,
  pan: 0,
  resonance: 0,
  detune: 0,
};

/** What the values of some lanes come to, by what moves what. */
export function moved(moves: readonly Route[], values: ReadonlyMap<string, number>): Record<Target, number> {
  const to = { ...RESTING };
  for (const { lane, target, amount } of moves) {
    const value = values.get(lane);
    // Timbre and its like rest in the middle (RP-015); everything else at nothing.
    if (value !== undefined) to[target] += amount * (CENTRED.has(lane) ? 2 * value - 64 / 63.5 : value);
  }
  return to;
}

/** What one note has of its own, on top of what its part does: on a member of a zone (MPE, M1-100), or by its key. */
export class Own {
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
export class Instrument {
  patch: Patch = USUAL;
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
