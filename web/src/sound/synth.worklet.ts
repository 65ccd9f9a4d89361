/// <reference types="@types/audioworklet" />
/**
 * The practice synth. It receives plain MIDI bytes with time stamps, one instrument a part, and stands in for real gear:
 * it knows nothing of Lull. Velocity makes a note louder *and* brighter, as on a struck or blown instrument.
 */
import type { Batch } from "./messages";
import {
  GLIDE_SECONDS,
  Instrument,
  Own,
  type Route,
  type Sides,
  VIBRATO_HERTZ,
  VIBRATO_SEMITONES,
} from "./synth/instrument";
import { PATCHES, USUAL, WAYS } from "./synth/patches";
import { BLOCK, HOLDS_FROM, SOFTENED, TWO_PI, Voice } from "./synth/voice";

export type { Route };

export type Order =
  /** `ends`: what these messages are for, where they are none of the take's. */
  | ({ kind: "play"; clearFrom: number | null; ends?: "hush" | "no zone" } & Batch)
  | { kind: "patches"; patches: string[] }
  | { kind: "routes"; routes: Route[][] }
  /** Of each part the keys that sound no note, but say how what follows is played. */
  | { kind: "cues"; keys: number[][] }
  | { kind: "level"; level: number };

const VOICES = 48;
/** While the pitch moves, it is worked out anew after so many frames; nearer than this it has arrived (semitones). */
const BEND_FRAMES = 16;

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
        this.instrument(part).patch = PATCHES[name] ?? USUAL;
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
