/** Bars as a player types them: "12", "12:3", "12-16". */
import { type Score, tickOfPlace } from "./score";

export type Typed = { at: number } | { span: [number, number] } | { problem: string };

/** What is meant by typed words: a place to go to, or bars to choose (the last one included). */
export function typedBars(score: Score, words: string): Typed {
  const bars = score.bars.start.length;
  const found = words.trim().match(/^(\d+)(?::(\d+)|\s*[-–—]\s*(\d+))?$/);
  if (!found) return { problem: "Type a bar (12), a bar and beat (12:3), or bars to choose (12–16)." };
  const [first = null, beat = null, last = null] = [found[1], found[2], found[3]].map((one) =>
    one ? Number(one) : null,
  );
  const wrong = [first, last].find((bar) => bar !== null && (bar < 1 || bar > bars));
  if (first === null || wrong != null)
    return { problem: `There is no bar ${wrong}: the take has bars 1 to ${bars}.` };
  if (last === null) {
    const beats = score.bars.beats[first - 1]!;
    if (beat !== null && (beat < 1 || beat > beats))
      return { problem: `Bar ${first} has no beat ${beat}: it has ${beats}.` };
    return { at: tickOfPlace(score, first, beat ?? 1) };
  }
  if (last < first) return { problem: `Bars go forward: ${last}–${first}.` };
  return { span: [tickOfPlace(score, first, 1), tickOfPlace(score, last + 1, 1)] };
}
