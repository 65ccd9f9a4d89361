/** The click: short sounds on the audio clock, which can be taken back until they sound. */

const [ACCENTED_HERTZ, HERTZ] = [1568, 1046.5];
const LASTS_SECONDS = 0.045;
const SILENT = 1e-4;

export class Clicks {
  /** Those that have not ended, and when each begins. */
  private readonly tones = new Map<OscillatorNode, number>();

  /** `at`: seconds of the context's clock; `level`: 0 to 1. */
  add(context: AudioContext, at: number, accent: boolean, level: number): void {
    const start = Math.max(at, context.currentTime);
    const tone = new OscillatorNode(context, { frequency: accent ? ACCENTED_HERTZ : HERTZ });
    const loud = new GainNode(context, { gain: 0 });
    loud.gain.setValueAtTime(level * 0.5, start);
    loud.gain.exponentialRampToValueAtTime(SILENT, start + LASTS_SECONDS);
    tone.connect(loud).connect(context.destination);
    tone.start(start);
    tone.stop(start + LASTS_SECONDS);
    tone.onended = () => {
      this.tones.delete(tone);
      loud.disconnect();
    };
    this.tones.set(tone, start);
  }

  /** Those that begin at a time of the context's clock or later are not heard. */
  hush(from: number): void {
    for (const [tone, start] of this.tones) {
      if (start < from) continue;
      tone.stop();
      this.tones.delete(tone);
    }
  }
}
