/**
 * The practice synth away from any clock: the very processor that plays, asked for one block after another as fast as it
 * can. What it makes goes out in pieces, so that two hours need no more memory than some seconds.
 */
import type { Order } from "./synth.worklet";

/** First `orders`; then piece after piece: what is said in it, and how many frames it lasts. */
export type Asked = { rate: number; orders: Order[] } | { orders: Order[]; frames: number };

type Processor = { process(inputs: Float32Array[][], outputs: Float32Array[][]): boolean };
type Maker = new (options: { processorOptions: { orders: Order[] } }) => Processor & { port: MessagePort };

const BLOCK = 128;
const LOUDEST = 32_767;

/** What a processor finds around it in an audio worklet. */
const scope = globalThis as unknown as Record<string, unknown>;
let made: Maker | null = null;
scope.AudioWorkletProcessor = class {
  port = { onmessage: null };
};
scope.registerProcessor = (_name: string, maker: Maker) => {
  made = maker;
};

let synth: (Processor & { port: MessagePort }) | null = null;
let frame = 0;

async function begin(rate: number, orders: Order[]): Promise<void> {
  Object.assign(scope, { sampleRate: rate, currentFrame: 0, currentTime: 0 });
  await import("./synth.worklet");
  synth = new (made as unknown as Maker)({ processorOptions: { orders } });
}

/** Samples of both sides in turn. */
function render(orders: Order[], frames: number): Int16Array {
  const processor = synth as NonNullable<typeof synth>;
  for (const order of orders) processor.port.onmessage?.({ data: order } as MessageEvent);
  const samples = new Int16Array(2 * frames);
  const sides = [new Float32Array(BLOCK), new Float32Array(BLOCK)];
  for (let at = 0; at < frames; at += BLOCK, frame += BLOCK) {
    Object.assign(scope, { currentFrame: frame, currentTime: frame / (scope.sampleRate as number) });
    for (const side of sides) side.fill(0);
    processor.process([], [sides]);
    for (let i = 0; i < Math.min(BLOCK, frames - at); i++)
      for (const side of [0, 1] as const)
        samples[2 * (at + i) + side] = Math.round(Math.min(Math.max(sides[side]![i]!, -1), 1) * LOUDEST);
  }
  return samples;
}

let turn: Promise<void> = Promise.resolve();

self.onmessage = ({ data }: MessageEvent<Asked>) => {
  turn = turn.then(async () => {
    if ("rate" in data) await begin(data.rate, data.orders);
    else {
      const samples = render(data.orders, data.frames);
      self.postMessage(samples, { transfer: [samples.buffer] });
    }
  });
};
