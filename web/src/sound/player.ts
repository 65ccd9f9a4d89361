/**
 * Plays a take: asks the server for messages a few seconds ahead and hands them to the synth with their times. What was
 * handed over can be taken back, so a change of the take, or a flip to before, is heard at once and in place.
 */
import { answered, api, type Messages, passes } from "../api/client";
import { Clicks } from "./click";
import { silence, unpack, zonesEnded } from "./messages";
import { audible, type Handed, type Place, type Programme, type Told, usePlayer } from "./playing";
import { makeSynth } from "./synth";
import type { Order, Route } from "./synth.worklet";
import { TwoClocks } from "./twoClocks";

export { type Handed, type Place, type Programme, type Told, type Trial, usePlayer } from "./playing";

const AHEAD = 3;
const REFILL_MS = 250;
/** Time for an answer to arrive before it has to sound. */
const LEAD = 0.06;
const LEAST_LOOP = 0.05;
const TAP_SECONDS = 0.35;
const AGAIN_MS = 250;
/** So long a pass may last. */
const LONGEST_SECONDS = 6 * 3600;

const { getState: now, setState: set } = usePlayer;

class Player {
  private context: AudioContext | null = null;
  private synth: AudioWorkletNode | null = null;
  private programme: Programme | null = null;
  private handed: Handed[] = [];
  /** How often it was handed over anew, not only further. */
  handOvers = 0;
  private timer = 0;
  private turn = 0;
  private restingBefore = 0;
  private filling = false;
  private beside: AudioBuffer | null = null;
  private audioFrom = 0;
  private audioAsked = 0;
  private voices: AudioBufferSourceNode[] = [];
  private phrase: [number, number] | null = null;
  private again = 0;
  private stale = false;
  private readonly clock = new TwoClocks();
  private readonly clicks = new Clicks();
  /** Told of all that is handed over; says which parts are heard elsewhere, and not here. */
  outward: ((told: Told) => ReadonlySet<number>) | null = null;
  /** Parts (numbers with commas) that are sent plainly or in zones, whatever they say: instruments want it so. */
  ways = { plain: "", mpe: "" };
  /** Seconds from when all is there to when it begins: instruments elsewhere are told ahead. */
  lead = 0.02;

  load(programme: Programme): void {
    if (this.programme?.takeId !== programme.takeId) {
      this.stop();
      this.audioAsked++;
      this.beside = null;
      set({ resting: 0, before: false, against: 0, looping: false, muted: [], soloed: [] });
    }
    this.programme = programme;
    this.order({ kind: "patches", patches: programme.patches });
    this.order({ kind: "cues", keys: programme.cues });
    this.order({ kind: "routes", routes: programme.routes });
  }

  /** What the lanes of each part also move, from now on. */
  route(routes: Route[][]): void {
    if (this.programme) this.programme.routes = routes;
    this.order({ kind: "routes", routes });
  }

  unload(): void {
    this.stop();
    this.programme = null;
  }

  /** A recorded sound that is heard with the take from `offset` (seconds) on, once it is brought; null for none. */
  async playAudio(bring: (() => Promise<ArrayBuffer>) | null, offset: number): Promise<void> {
    const asked = ++this.audioAsked;
    this.audioFrom = offset;
    this.context ??= new AudioContext({ latencyHint: "interactive" });
    const buffer = bring && (await this.context.decodeAudioData(await bring()));
    if (asked !== this.audioAsked) return;
    this.beside = buffer;
    this.hushAudio(0);
    void this.refresh();
  }

  moveAudio(offset: number): void {
    this.audioFrom = offset;
    if (this.beside) void this.refresh();
  }

  /** What of the sound lies in a stretch that was handed over. */
  private handAudio({ at, from, length }: Handed): void {
    if (!this.beside || !this.context || length <= 0) return;
    const [buffer, offset] = [this.beside, this.audioFrom];
    const begin = Math.max(from - offset, 0);
    const end = Math.min(from + length - offset, buffer.duration);
    if (end <= begin) return;
    const voice = new AudioBufferSourceNode(this.context, { buffer });
    voice.connect(this.context.destination);
    voice.start(at + begin - (from - offset), begin, end - begin);
    voice.onended = () => {
      this.voices = this.voices.filter((one) => one !== voice);
    };
    this.voices.push(voice);
  }

  private hushAudio(at: number): void {
    for (const voice of this.voices) voice.stop(at);
    this.voices = [];
  }

  setLevel(level: number): void {
    set({ level });
    this.order({ kind: "level", level });
  }

  /** Where in the take it is now, in seconds. */
  position(): number {
    if (!now().playing || !this.context) return now().resting;
    const time = this.context.currentTime - (this.context.outputLatency || 0);
    const piece = this.handed.findLast(({ at }) => at <= time) ?? this.handed[0];
    if (!piece) return now().resting;
    return piece.from + Math.min(Math.max(time - piece.at, 0), piece.length);
  }

  /** Where in the take it was heard to be at a time of the page's clock (ms); null before it was anywhere. */
  placeAt(ms: number): Place | null {
    if (!this.context || !this.handed.length) return null;
    const time = this.clock.audio(this.context, ms);
    const piece = this.handed.findLast(({ at }) => at <= time) ?? this.handed[0]!;
    return { second: piece.from + time - piece.at, round: piece.round };
  }

  /** When (ms of the page's clock) a place of the take is heard in a round that was handed over; null: not yet known. */
  heardAt({ second, round }: Place): number | null {
    const piece = this.handed.find(
      (one) =>
        one.round === round && second >= one.from - 1e-6 && second < one.from + Math.max(one.length, 1e-3),
    );
    return piece && this.context ? this.clock.page(this.context, piece.at + second - piece.from) : null;
  }

  /** The sound is there, and its clock runs. Throws where it cannot be started. */
  async startSound(): Promise<void> {
    await this.wake();
    if (this.context) this.clock.read(this.context);
  }

  /** A message from an instrument, heard at once on its part. */
  async live(part: number, bytes: readonly number[]): Promise<void> {
    try {
      await this.wake();
    } catch {
      return; // Without sound it is recorded all the same.
    }
    const times = Float64Array.of((this.context as AudioContext).currentTime);
    const message = Uint8Array.of(bytes[0]!, bytes[1] ?? 0, bytes[2] ?? 0);
    this.order({ kind: "play", clearFrom: null, times, parts: Uint8Array.of(part), bytes: message });
  }

  /** Clicks that have not sounded yet are taken back: all of them, or those from a time of the audio clock on. */
  hushClicks(from = 0): void {
    this.clicks.hush(from);
  }

  /** A click at a time of the audio clock (seconds); it can be taken back for as long as it has not sounded. */
  click(at: number, accent: boolean, level: number): void {
    if (this.context && level) this.clicks.add(this.context, at, accent, level);
  }

  /** The stretches of the take that are handed over, by the audio clock: those that sound from `time` on. */
  stretches(time: number): readonly Handed[] {
    return this.handed.filter(({ at, length }) => at + length > time);
  }

  /** Seconds of audio between now and a time of the page's clock (ms). */
  secondsTo(ms: number): number {
    return this.context ? this.clock.audio(this.context, ms) - this.context.currentTime : 0;
  }

  /** Milliseconds from a key to its sound: what the audio output takes. */
  get delay(): number {
    return this.context ? 1000 * (this.context.baseLatency + (this.context.outputLatency || 0)) : 0;
  }

  /** Play from a place on, `wait` seconds from now, for as long as it is let: something is recorded. */
  async record(from: number, wait: number): Promise<void> {
    set({ recording: true });
    await this.play(from, wait);
  }

  async play(from: number, wait = 0): Promise<void> {
    const programme = this.programme;
    if (!programme) return;
    const turn = ++this.turn;
    window.clearInterval(this.timer);
    this.handed = [];
    set({ problem: null, resting: from, playing: true });
    try {
      await this.wake();
      if (turn !== this.turn) return;
      const context = this.context as AudioContext;
      this.clock.read(context);
      await this.handOver(from, { wait }, turn);
      this.timer = window.setInterval(() => void this.refill(), REFILL_MS);
    } catch (thrown) {
      this.fail(thrown, turn);
    }
  }

  /** A note by itself, as its part's instrument stands now. */
  async tap(part: number, pitch: number, velocity: number): Promise<void> {
    try {
      await this.wake();
    } catch {
      return; // Without sound there is nothing to be heard, and nothing else is lost.
    }
    const at = (this.context as AudioContext).currentTime;
    this.order({
      kind: "play",
      clearFrom: null,
      times: Float64Array.of(at, at + TAP_SECONDS),
      parts: Uint8Array.of(part, part),
      bytes: Uint8Array.of(0x90, pitch, velocity, 0x80, pitch, 64),
    });
  }

  /** Repeat a stretch for as long as it is held; where the take is playing already, it plays on. */
  rehearse(from: number, to: number): void {
    if (now().playing || to - from < LEAST_LOOP) return;
    this.phrase = [from, to];
    this.restingBefore = now().resting;
    void this.play(from);
  }

  endRehearsal(): void {
    if (!this.phrase) return;
    this.phrase = null;
    this.stop();
    set({ resting: this.restingBefore });
  }

  /** What is to come is heard with the values of the moment; often, but not with every one of them. */
  hearAgain(): void {
    if (!now().playing) return;
    this.stale = true;
    if (!this.again) this.again = window.setTimeout(() => void this.catchUp(), AGAIN_MS);
  }

  /** One hand-over after another: where the server is slow, none is overtaken by the next. */
  private async catchUp(): Promise<void> {
    this.stale = false;
    await this.refresh();
    this.again = 0;
    if (this.stale) this.hearAgain();
  }

  stop(): void {
    const resting = this.position();
    this.turn++;
    window.clearInterval(this.timer);
    if (this.context && now().playing) {
      const time = this.context.currentTime;
      this.order({ kind: "play", clearFrom: 0, ends: "hush", ...this.silence(time) });
      this.hushAudio(0);
    }
    this.hushClicks();
    this.handed = [];
    set({ playing: false, resting, recording: false });
  }

  rest(at: number): void {
    if (now().playing) void this.play(at);
    else set({ resting: at });
  }

  flip(before: boolean): void {
    set({ before });
    void this.refresh();
  }

  /** Compare with the take as it was before a stroke (0: the newest). */
  compareWith(against: number): void {
    set({ against });
    if (now().before) void this.refresh();
  }

  /** Mute or solo a part: what sounds of it stops at once. */
  hush(part: number, how: "muted" | "soloed"): void {
    const listed = now()[how];
    set({ [how]: listed.includes(part) ? listed.filter((one) => one !== part) : [...listed, part] });
    if (!now().playing || !this.context) return;
    const quiet = Array.from({ length: this.parts }, (_, one) => one).filter((one) => !audible(one));
    this.order({ kind: "play", clearFrom: null, ends: "hush", ...silence(quiet, this.context.currentTime) });
    void this.refresh();
  }

  setLooping(looping: boolean): void {
    set({ looping });
    const loop = this.loop();
    const at = this.position();
    if (looping && loop && (at < loop[0] || at >= loop[1])) this.rest(loop[0]);
    else void this.refresh();
  }

  /** Take back what has not sounded yet and hand over what the take holds now, without losing the place. */
  async refresh(): Promise<void> {
    if (!now().playing) return;
    // It is only just being started, with what the take held then.
    if (!this.context || !this.handed.length) return this.play(now().resting);
    const turn = ++this.turn;
    const at = Math.max(this.context.currentTime + LEAD, this.handed[0]!.at);
    const piece = this.handed.findLast((one) => one.at <= at) as Handed;
    try {
      await this.handOver(piece.from + at - piece.at, { at }, turn);
    } catch (thrown) {
      if (!passes(thrown)) this.fail(thrown, turn);
      // It plays on with what it has, and asks again.
      else if (turn === this.turn) this.hearAgain();
    }
  }

  /** Where the playing ends, in seconds. */
  private get end(): number {
    // What is said at the very end of the take is said, too.
    return now().recording ? LONGEST_SECONDS : (this.programme?.seconds ?? 0) + 0.002;
  }

  private get parts(): number {
    return this.programme?.patches.length ?? 0;
  }

  private silence(time: number) {
    return silence(
      Array.from({ length: this.parts }, (_, part) => part),
      time,
    );
  }

  private loop(): [number, number] | null {
    if (this.phrase) return this.phrase;
    const loop = now().looping ? (this.programme?.loop() ?? null) : null;
    return loop && loop[1] - loop[0] > LEAST_LOOP ? loop : null;
  }

  private async wake(): Promise<void> {
    this.context ??= new AudioContext({ latencyHint: "interactive" });
    if (!this.synth) {
      this.synth = await makeSynth(this.context);
      this.synth.connect(this.context.destination);
      this.order({ kind: "level", level: now().level });
      this.order({ kind: "patches", patches: this.programme?.patches ?? [] });
      this.order({ kind: "cues", keys: this.programme?.cues ?? [] });
      this.order({ kind: "routes", routes: this.programme?.routes ?? [] });
    }
    if (this.context.state !== "running") await this.context.resume();
  }

  private order(order: Order): void {
    const elsewhere = order.kind === "play" ? this.outward?.(order) : undefined;
    this.synth?.port.postMessage(
      order.kind === "play" && elsewhere?.size ? without(order, elsewhere) : order,
    );
  }

  /** Seconds of the audio clock, and the page's clock (ms) when that is heard. */
  get seconds(): number {
    return this.context?.currentTime ?? 0;
  }

  /** Seconds of the audio clock at a time of the page's clock (ms). */
  audioTime(ms: number): number {
    return this.context ? this.clock.audio(this.context, ms) : 0;
  }

  /** The context in which all is heard; it is made when it is first needed. */
  get audio(): AudioContext {
    this.context ??= new AudioContext({ latencyHint: "interactive" });
    return this.context;
  }

  pageTime(seconds: number): number {
    return this.context ? this.clock.page(this.context, seconds) : performance.now();
  }

  /**
   * Begin so many seconds after all is there, or go on anew at a context time: fetch first, and only then take back what
   * was there.
   */
  private async handOver(from: number, when: { wait: number } | { at: number }, turn: number): Promise<void> {
    const fresh = "wait" in when;
    const loop = this.loop();
    const end = loop && from < loop[1] ? loop[1] : this.end;
    const length = Math.min(AHEAD, Math.max(end - from, 0));
    // What is in force there comes first; what sounds there is struck anew only where the playing begins.
    const batch = await this.fetch(from, from + length, true, fresh);
    if (turn !== this.turn || !this.context) return;
    // A start waits for its messages; a refresh keeps its place even where the answer came late.
    const start = fresh ? this.context.currentTime + Math.max(when.wait, this.lead) : when.at;
    if (fresh) this.order({ kind: "play", clearFrom: 0, ends: "hush", ...this.silence(start - 0.005) });
    const told = unpack(batch, start - from, audible);
    const all = Array.from({ length: this.parts }, (_, part) => part);
    this.order({ kind: "play", clearFrom: start, ends: "no zone", ...zonesEnded(told, all, start) });
    this.order({ kind: "play", clearFrom: null, ...told });
    const past = fresh ? [] : this.handed.filter((one) => one.at < start);
    const piece = { at: start, from, length, round: past.at(-1)?.round ?? 0 };
    this.hushAudio(start);
    this.handAudio(piece);
    this.handed = [...past, piece];
    this.handOvers++;
    await this.refill();
  }

  private async refill(): Promise<void> {
    if (this.filling || !this.context || !this.programme) return;
    this.filling = true;
    const turn = this.turn;
    this.clock.read(this.context);
    try {
      while (turn === this.turn) {
        const last = this.handed[this.handed.length - 1];
        if (!last) return;
        const reached = last.at + last.length;
        if (reached - this.context.currentTime > AHEAD) break;
        const done = last.from + last.length;
        const loop = this.loop();
        const wraps = loop !== null && Math.abs(done - loop[1]) < 1e-3;
        if (!wraps && done >= this.end - 1e-6) {
          if (this.context.currentTime > reached + 1) this.finish();
          return;
        }
        const from = wraps ? loop[0] : done;
        const end = loop && from < loop[1] ? loop[1] : this.end;
        const length = Math.min(AHEAD, end - from);
        const batch = await this.fetch(from, from + length, wraps, wraps);
        if (turn !== this.turn) return;
        if (wraps) this.order({ kind: "play", clearFrom: null, ends: "hush", ...this.silence(reached) });
        this.order({ kind: "play", clearFrom: null, ...unpack(batch, reached - from, audible) });
        const piece = { at: reached, from, length, round: last.round + (wraps ? 1 : 0) };
        this.handAudio(piece);
        this.handed.push(piece);
        if (this.handed.length > 64) this.handed.splice(0, this.handed.length - 64);
      }
    } catch (thrown) {
      // While there is something to play, one request more may bring what this one did not.
      if (!passes(thrown) || this.left() <= 0) this.fail(thrown, turn);
    } finally {
      this.filling = false;
    }
  }

  private fetch(start: number, end: number, chase: boolean, held: boolean) {
    const { before, against } = now();
    const trial = before ? null : (this.programme?.trial() ?? null);
    if (trial) {
      const path = { take_id: this.programme?.takeId ?? "" };
      const body = { ...trial, span: [start, end] as [number, number], chase, held, ...this.ways };
      return answered<Messages>(api.POST("/api/takes/{take_id}/rehearse", { params: { path }, body }));
    }
    const query = { start, end, chase, held, ...this.ways, ...(before ? { before: against } : {}) };
    const params = { path: { take_id: this.programme?.takeId ?? "" }, query };
    return answered<Messages>(api.GET("/api/takes/{take_id}/messages", { params }));
  }

  /** Seconds that are still to be heard of what was handed over. */
  private left(): number {
    const last = this.handed.at(-1);
    return last && this.context ? last.at + last.length - this.context.currentTime : 0;
  }

  private finish(): void {
    this.stop();
    set({ resting: 0 });
  }

  private fail(thrown: unknown, turn: number): void {
    if (turn !== this.turn) return;
    this.stop();
    set({ problem: thrown instanceof Error ? thrown.message : "The sound could not be started." });
  }
}

/** What is handed over, without the notes of some parts: everything else goes through, so that they join again as they should. */
function without(told: Told, parts: ReadonlySet<number>): Told {
  const bytes = told.bytes.slice();
  told.parts.forEach((part, message) => {
    if (parts.has(part) && bytes[message * 3]! >> 4 === 9) bytes[message * 3 + 2] = 0;
  });
  return { ...told, bytes };
}

export const player = new Player();
