/** A stretch of a take rendered to samples through the same worklet that plays it. */
import { answered, api, type Messages } from "../api/client";
import { unpack } from "./messages";
import { makeSynth } from "./synth";
import type { Order, Route } from "./synth.worklet";

export interface Stretch {
  takeId: string;
  start: number;
  end: number;
  patches: string[];
  routes?: Route[][];
  cues?: number[][];
  /** What the synth was left with by an earlier play: heard first, and thrown away. */
  after?: [number, number];
  /** The left (0) or the right (1) alone; absent: both together. */
  side?: 0 | 1;
  /** As it was before this stroke (0: the newest). */
  before?: number;
}

const RATE = 44_100;

/** Mono samples of a stretch (seconds of the take). */
export async function renderStretch(stretch: Stretch): Promise<Float32Array> {
  const { takeId, start, end, patches, routes = [], cues = [], before, after, side } = stretch;
  const fetch = (from: number, to: number) => {
    const params = { path: { take_id: takeId }, query: { start: from, end: to, chase: true, before } };
    return answered<Messages>(api.GET("/api/takes/{take_id}/messages", { params }));
  };
  const answer = await fetch(start, end);
  const orders: Order[] = [
    { kind: "patches", patches },
    { kind: "routes", routes },
    { kind: "cues", keys: cues },
  ];
  if (after) {
    // An earlier play, in no time: what it leaves behind is what the next one finds.
    const left = unpack(await fetch(...after), 0, () => false);
    orders.push({ kind: "play", clearFrom: null, ...left, times: left.times.fill(0) });
  }
  const context = new OfflineAudioContext(2, Math.ceil((end - start) * RATE), RATE);
  const synth = await makeSynth(context, [
    ...orders,
    { kind: "play", clearFrom: null, ...unpack(answer, -start) },
  ]);
  synth.connect(context.destination);
  const rendered = await context.startRendering();
  if (side !== undefined) return rendered.getChannelData(side);
  const [left, right] = [rendered.getChannelData(0), rendered.getChannelData(1)];
  return left.map((sample, i) => (sample + right[i]!) / 2);
}

/** What scripts in the page can do: hear a stretch; and, once the rig is there, play, and see what its output was sent. */
interface Scripted {
  render: typeof renderStretch;
  say?: (bytes: number[], at: number) => void;
  versions?: () => readonly number[];
  turnedDown?: () => readonly number[];
  sent?: () => readonly { at: number; came: number; bytes: readonly number[] }[];
}

declare global {
  interface Window {
    lull?: Scripted;
  }
}

/** Let scripts in the page (the tests among them) listen without loudspeakers. */
export function offerRendering(): void {
  window.lull = { render: renderStretch };
}
