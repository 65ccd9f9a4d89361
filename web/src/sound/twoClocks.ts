/**
 * The page's clock, by which keys are pressed, and the audio clock, by which they are heard. Both run evenly, but what is
 * read of them is not even: what lies between them is followed slowly, unless one of them has jumped.
 */
export class TwoClocks {
  private between = Number.NaN;
  private astray = 0;

  read(context: AudioContext): void {
    const { contextTime = 0, performanceTime = 0 } = context.getOutputTimestamp();
    const told = performanceTime > 0 && contextTime > 0;
    const read = told
      ? contextTime - performanceTime / 1000
      : context.currentTime - (context.outputLatency || 0) - performance.now() / 1000;
    const off = Math.abs(read - this.between);
    this.astray = off > JUMP_SECONDS ? this.astray + 1 : 0;
    if (Number.isNaN(this.between) || this.astray >= JUMPED) {
      this.between = read;
      this.astray = 0;
    } else if (!this.astray) this.between += (read - this.between) * FOLLOWS;
  }

  audio(context: AudioContext, ms: number): number {
    if (Number.isNaN(this.between)) this.read(context);
    return ms / 1000 + this.between;
  }

  page(context: AudioContext, seconds: number): number {
    if (Number.isNaN(this.between)) this.read(context);
    return (seconds - this.between) * 1000;
  }
}

const FOLLOWS = 0.02;
const JUMP_SECONDS = 0.05;
/** So many readings in a row that are far off are no accident. */
const JUMPED = 4;
