/** A stretch of a take rendered to samples through the same worklet that plays it. */
import { answered, api, type Messages } from "../api/client";
import { unpack } from "./messages";
import { makeSynth } from "./synth";

export interface Stretch {
  takeId: string;
  start: number;
  end: number;
  patches: string[];
  /** As it was before this stroke (0: the newest). */
  before?: number;
}

const RATE = 44_100;

/** Mono samples of a stretch (seconds of the take). */
export async function renderStretch({ takeId, start, end, patches, before }: Stretch): Promise<Float32Array> {
  const params = { path: { take_id: takeId }, query: { start, end, chase: true, before } };
  const answer = await answered<Messages>(api.GET("/api/takes/{take_id}/messages", { params }));
  const context = new OfflineAudioContext(2, Math.ceil((end - start) * RATE), RATE);
  const synth = await makeSynth(context, [
    { kind: "patches", patches },
    { kind: "play", clearFrom: null, ...unpack(answer, -start) },
  ]);
  synth.connect(context.destination);
  const rendered = await context.startRendering();
  const [left, right] = [rendered.getChannelData(0), rendered.getChannelData(1)];
  return left.map((sample, i) => (sample + right[i]) / 2);
}

declare global {
  interface Window {
    lull?: { render: typeof renderStretch };
  }
}

/** Let scripts in the page (the tests among them) listen without loudspeakers. */
export function offerRendering(): void {
  window.lull = { render: renderStretch };
}
