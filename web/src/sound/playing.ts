/** What the player is doing, as the page sees it; and what it is told of a take. */
import { create } from "zustand";
import type { Schemas } from "../api/client";
import type { Order, Route } from "./synth.worklet";

interface PlayerState {
  playing: boolean;
  /** Heard and seen as it was before the point of comparison. */
  before: boolean;
  /** The stroke before which it is compared; 0 is the newest. */
  against: number;
  muted: readonly number[];
  soloed: readonly number[];
  looping: boolean;
  /** Where it stands when it is not playing, in seconds. */
  resting: number;
  level: number;
  problem: string | null;
  /** It plays on past the end of the take, since something is being recorded. */
  recording: boolean;
}

export const usePlayer = create<PlayerState>()(() => ({
  playing: false,
  before: false,
  against: 0,
  muted: [],
  soloed: [],
  looping: false,
  resting: 0,
  level: 0.8,
  problem: null,
  recording: false,
}));

/** A stretch of the take that was handed to the synth: take time `from` sounds at context time `at`. */
export interface Handed {
  at: number;
  from: number;
  length: number;
  /** How often it has gone round before. */
  round: number;
}

/** Messages that are handed over, and from when on (seconds of the audio clock) earlier ones are taken back. */
export type Told = Extract<Order, { kind: "play" }>;

/** A place in the take, in seconds, and how often it has gone round before. */
export interface Place {
  second: number;
  round: number;
}

/** A stroke that is being made: what it would sound like can be heard before it is kept. */
export type Trial = Pick<Schemas["RehearsalAsked"], "revision" | "stroke" | "number">;

export interface Programme {
  takeId: string;
  seconds: number;
  patches: string[];
  /** Of each part the keys of its cues, ascending. */
  cues: number[][];
  routes: Route[][];
  loop: () => [number, number] | null;
  trial: () => Trial | null;
}

/** Whether a part is heard: not muted, and soloed where any is. */
export function audible(part: number): boolean {
  const { muted, soloed } = usePlayer.getState();
  return !muted.includes(part) && (!soloed.length || soloed.includes(part));
}
