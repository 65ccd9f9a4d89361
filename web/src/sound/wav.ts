/** The take as the practice synth plays it, as a WAV file: rendered faster than it plays, the same bytes each time. */
import { answered, api, type Messages } from "../api/client";
import { silence, unpack } from "./messages";
import OfflineSynth from "./offline.worker?worker";
import type { Order, Route } from "./synth.worklet";

export interface Rendering {
  takeId: string;
  /** Seconds of the take. */
  from: number;
  to: number;
  /** Absent: all of them. */
  parts?: readonly number[];
  patches: string[];
  routes: Route[][];
  cues: number[][];
  /** As it was before this stroke (0: the newest); absent: as it is. */
  before?: number;
  onShare?: (share: number) => void;
  signal?: AbortSignal;
}

export const RATE = 44_100;
/** Blocks of the synth are 128 frames: a piece is a whole number of them. */
const PIECE_FRAMES = 128 * 6_000;
/** What is let go at the end rings on for so long. */
const TAIL_SECONDS = 2;
const HEADER_BYTES = 44;
/** Its header counts in 32 bits. */
const MOST_BYTES = 2 ** 32 - HEADER_BYTES;

const framesOf = ({ from, to }: Rendering) => Math.ceil((to - from + TAIL_SECONDS) * RATE);

/** Samples of both sides in turn, piece by piece. Throws where it is given up, or the server says no. */
export async function* rendered(asked: Rendering): AsyncGenerator<Int16Array> {
  const { takeId, from, to, parts, patches, routes, cues, before, onShare, signal } = asked;
  const synth = new OfflineSynth();
  const isHeard = (part: number) => !parts || parts.includes(part);
  const all = patches.map((_, part) => part);
  const total = framesOf(asked);
  const said = async (start: number, end: number): Promise<Order[]> => {
    if (start >= to) return [];
    const query = { start, end: Math.min(end, to), chase: start === from, held: start === from, before };
    const ask = api.GET("/api/takes/{take_id}/messages", {
      params: { path: { take_id: takeId }, query },
      signal,
    });
    return [{ kind: "play", clearFrom: null, ...unpack(await answered<Messages>(ask), -from, isHeard) }];
  };
  try {
    const first: Order[] = [
      { kind: "patches", patches },
      { kind: "routes", routes },
      { kind: "cues", keys: cues },
      // Whatever sounds at the end is let go there.
      { kind: "play", clearFrom: null, ...silence(all, to - from) },
    ];
    synth.postMessage({ rate: RATE, orders: first });
    for (let frame = 0; frame < total; frame += PIECE_FRAMES) {
      signal?.throwIfAborted();
      const frames = Math.min(PIECE_FRAMES, total - frame);
      const orders = await said(from + frame / RATE, from + (frame + frames) / RATE);
      yield await new Promise<Int16Array>((done, fail) => {
        synth.onmessage = ({ data }: MessageEvent<Int16Array>) => done(data);
        synth.onerror = () => fail(new Error("The practice synth stopped. Reload the page and try again."));
        synth.postMessage({ orders, frames });
      });
      onShare?.(Math.min((frame + frames) / total, 1));
    }
  } finally {
    synth.terminate();
  }
}

/** A WAV file of 16 bits and two sides. */
export async function wavOf(asked: Rendering): Promise<Blob> {
  const bytes = 4 * framesOf(asked);
  if (bytes > MOST_BYTES)
    throw new Error("A WAV file holds no more than six hours. Choose some bars, and take those.");
  // Two hours are more than a gigabyte: the browser has them, piece by piece, not this page.
  const pieces: Blob[] = [];
  for await (const piece of rendered(asked)) pieces.push(new Blob([piece as BlobPart]));
  return new Blob([header(bytes), ...pieces], { type: "audio/wav" });
}

/** RIFF WAVE, PCM. */
function header(bytes: number): ArrayBuffer {
  const view = new DataView(new ArrayBuffer(HEADER_BYTES));
  const sign = (at: number, words: string) => {
    for (let i = 0; i < words.length; i++) view.setUint8(at + i, words.charCodeAt(i));
  };
  sign(0, "RIFF");
  view.setUint32(4, HEADER_BYTES - 8 + bytes, true);
  sign(8, "WAVEfmt ");
  view.setUint32(16, 16, true);
  view.setUint16(20, 1, true);
  view.setUint16(22, 2, true);
  view.setUint32(24, RATE, true);
  view.setUint32(28, RATE * 4, true);
  view.setUint16(32, 4, true);
  view.setUint16(34, 16, true);
  sign(36, "data");
  view.setUint32(40, bytes, true);
  return view.buffer;
}
