/** The practice synth as a node of the audio graph. */
import type { Order } from "./synth.worklet";
import workletUrl from "./synth.worklet.ts?worker&url";

const loaded = new WeakMap<BaseAudioContext, Promise<void>>();

/** A synth in a context; `orders` are carried out before the first sample. */
export async function makeSynth(context: BaseAudioContext, orders: Order[] = []): Promise<AudioWorkletNode> {
  if (!loaded.has(context)) loaded.set(context, context.audioWorklet.addModule(workletUrl));
  await loaded.get(context);
  return new AudioWorkletNode(context, "practice-synth", {
    numberOfInputs: 0,
    outputChannelCount: [2],
    processorOptions: { orders },
  });
}
