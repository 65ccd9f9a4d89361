/** Where the click belongs: the beats of the bars on the audio clock, by what of the take is handed over. */
import { type Score, secondsAt, tickAt } from "../../score/score";
import { player } from "../../sound/player";
import { desk } from "./state";

/** So far ahead clicks are set, in seconds: a page that is busy, or behind others, is still in time. */
const AHEAD = 1.6;

/** The bar (from 0) in which a tick lies, its beats, and how many ticks one has. */
export function metreAt(score: Score, tick: number): { bar: number; beats: number; ticks: number } {
  const { start, beats, beat_ticks } = score.bars;
  const bar = Math.max(
    start.findLastIndex((one) => one <= tick),
    0,
  );
  return { bar, beats: beats[bar] ?? 4, ticks: beat_ticks[bar] ?? 960 };
}

/** Seconds of a beat at a place, by the metre and the tempo in force there. */
export function beatSeconds(score: Score, tick: number): number {
  return secondsAt(score, tick + metreAt(score, tick).ticks) - secondsAt(score, tick);
}

export class Clicking {
  /** Seconds of the audio clock up to which clicks are set. */
  private until = 0;
  /** Which hand-over these are for, and how loud they are. */
  private known = "";

  /** The count-in: so many bars of clicks before what was handed over first. */
  countIn(tick: number, bars: number, level: number): void {
    const { score } = desk();
    const [first] = player.stretches(0);
    if (!score || !first) return;
    const { beats } = metreAt(score, tick);
    const beat = beatSeconds(score, tick);
    for (let left = beats * bars; left > 0; left--)
      player.click(first.at - left * beat, left % beats === 0, level);
  }

  /** Clicks on the beats of what is about to sound; anew, where that was handed over anew or they are to be as loud as this. */
  onward(level: number): void {
    const { score } = desk();
    if (!score) return;
    const now = player.seconds;
    const asked = `${player.handOvers} ${level}`;
    if (this.known && asked !== this.known) {
      // The count-in stays as it is.
      player.hushClicks(Math.max(now, player.stretches(0)[0]?.at ?? 0));
      this.until = now;
    }
    this.known = asked;
    const until = now + AHEAD;
    for (const { at, from, length } of player.stretches(this.until)) {
      const begin = from + Math.max(this.until - at, 0);
      for (const [second, accent] of beatsBetween(score, begin, from + Math.min(until - at, length)))
        if (at + second - from > now) player.click(at + second - from, accent, level);
    }
    this.until = Math.max(this.until, until);
  }
}

/** Beats from a second (included) to another, and whether each begins a bar; past the last bar as that one goes. */
export function beatsBetween(score: Score, from: number, to: number): [second: number, accent: boolean][] {
  const found: [number, boolean][] = [];
  let tick = tickAt(score, from);
  while (found.length < MOST_BEATS) {
    const { bar, beats, ticks } = metreAt(score, tick + NEAR_TICKS);
    const into = Math.ceil((tick - score.bars.start[bar]!) / ticks - NEAR_TICKS / ticks);
    const next = score.bars.start[bar]! + into * ticks;
    // A bar may be shorter than its beats: the next begins by itself.
    const end = score.bars.start[bar + 1] ?? Number.POSITIVE_INFINITY;
    const place = Math.min(next, end);
    const second = secondsAt(score, place);
    if (second >= to - 1e-9) return found;
    if (second >= from - 1e-6) found.push([second, place === end || into % beats === 0]);
    tick = place + Math.max(2 * NEAR_TICKS, 1);
  }
  return found;
}

const NEAR_TICKS = 0.25;
const MOST_BEATS = 1000;
