/** What a bend that is dragged comes to: semitones, notes of a scale, notes of the part, or wherever the hand is. */
import { soundingAlone } from "../../score/score";
import type { Scale } from "../page/scale";
import { desk, leadPart } from "../take/state";

const OCTAVE = 12;

/** Bends near a value that may be come to at a tick; none where the hand is free. */
function targets(tick: number, value: number): readonly number[] {
  const part = leadPart();
  return targetsFrom(part ? soundingAlone(part, tick) : null, value);
}

/** The same from a pitch: null where several sound, or none. */
function targetsFrom(from: number | null, value: number): readonly number[] {
  const { reaching, scales } = desk();
  const part = leadPart();
  const whole = [Math.floor(value), Math.ceil(value)];
  // Where several notes sound, or none, a scale says nothing of how far one is bent.
  if (reaching.to === "semitones" || !part || (from === null && reaching.to !== "free")) return whole;
  if (reaching.to === "free" || from === null) return [];
  if (reaching.to === "part") return [...new Set(part.pitch)].map((pitch) => pitch - from);
  const steps = scales.find(({ key }) => key === reaching.scale)?.steps ?? [];
  const near = Math.round(value);
  return Array.from({ length: 2 * OCTAVE + 1 }, (_, away) => near + away - OCTAVE).filter((bend) =>
    steps.includes((((from + bend - reaching.root) % OCTAVE) + OCTAVE) % OCTAVE),
  );
}

/** What the pitch of a note comes to: a semitone, a note of the scale or of the part, where it is near to one. */
export function reachFrom(from: number, value: number): number {
  const all = targetsFrom(from, value);
  if (!all.length) return value;
  const nearest = all.reduce((best, one) => (Math.abs(one - value) < Math.abs(best - value) ? one : best));
  return Math.abs(nearest - value) <= NEAR_SEMITONES ? nearest : value;
}

const NEAR_SEMITONES = 0.4;

/** The nearest of them; the value itself where there is none, or where the lane is seen so closely that cents are meant. */
export function reach(tick: number, value: number, { low, high }: Scale): number {
  const tall = high - low;
  const all = targets(tick, value);
  if (!all.length) return value;
  const nearest = all.reduce((best, one) => (Math.abs(one - value) < Math.abs(best - value) ? one : best));
  return tall < CLOSE && Math.abs(nearest - value) > tall * NEAR ? value : nearest;
}

/** Of a lane that shows fewer semitones, only what lies within this share of them is drawn to a note. */
const CLOSE = 2;
const NEAR = 0.04;
