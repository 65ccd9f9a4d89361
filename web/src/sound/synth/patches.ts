/** The sounds of the practice synth, and the ways of playing them that cue keys call up. */

export interface Patch {
  /** Partials: ratio to the pitch, strength, and seconds to fall by 60 dB (Infinity: held while the key is down). */
  partials: readonly (readonly [number, number, number])[];
  attack: number;
  release: number;
  /** The strength of partial k is multiplied by brightness to the power of its place; from soft to hard. */
  dull: number;
  bright: number;
  /** Detune of the second rank in cents; 0 for none. */
  rank: number;
  gain: number;
  /** A burst of noise at the strike: strength and seconds to fall by 60 dB. */
  noise?: readonly [number, number];
  /** Keys that are instruments of their own: hertz of the lowest partial, noise, and how long all of it rings. */
  keys?: Record<number, { hertz: number; noise: readonly [number, number]; ring: number }>;
}

const REED_PARTIALS = Array.from(
  { length: 14 },
  (_, k) => [k + 1, (k % 2 ? 0.75 : 1) / (k + 1) ** 0.55, Infinity] as const,
);

/** Modes of a circular membrane: zeros of the Bessel functions over the first (2.405). */
const MEMBRANE = [1, 1.593, 2.136, 2.295, 2.653, 2.917, 3.155, 3.5];

export const PATCHES: Record<string, Patch> = {
  "bowed glass": {
    partials: [1, 2, 3.01, 4.02, 5.04, 6.1, 8.2].map(
      (ratio, k) => [ratio, 0.9 / (k + 1) ** 1.1, Infinity] as const,
    ),
    attack: 0.11,
    release: 0.55,
    dull: 0.4,
    bright: 0.85,
    rank: 4,
    gain: 0.2,
  },
  "frame drum": {
    partials: MEMBRANE.map((ratio, k) => [ratio, 0.8 / (k + 1) ** 0.6, 0.7 / (1 + k * 0.6)] as const),
    attack: 0.001,
    release: 0.3,
    dull: 0.45,
    bright: 0.95,
    rank: 0,
    gain: 0.5,
    noise: [0.25, 0.06],
    keys: {
      36: { hertz: 74, noise: [0.15, 0.05], ring: 1.6 },
      38: { hertz: 118, noise: [0.25, 0.07], ring: 1 },
      39: { hertz: 190, noise: [0.9, 0.06], ring: 0.35 },
      37: { hertz: 420, noise: [0.6, 0.03], ring: 0.2 },
      54: { hertz: 2400, noise: [0.8, 0.2], ring: 0.5 },
    },
  },
  "thumb piano": {
    partials: [
      [1, 1, 2.6],
      [2.01, 0.5, 1.2],
      [3.02, 0.4, 0.8],
      [5.43, 0.5, 0.45],
      [8.2, 0.4, 0.25],
      [11.6, 0.35, 0.12],
    ],
    attack: 0.002,
    release: 0.25,
    dull: 0.25,
    bright: 0.92,
    rank: 0,
    gain: 0.34,
  },
  "reed box": {
    partials: REED_PARTIALS,
    attack: 0.035,
    release: 0.14,
    dull: 0.45,
    bright: 0.9,
    rank: 7,
    gain: 0.1,
  },
};

/** The one where none is named. */
export const USUAL: Patch = PATCHES["thumb piano"]!;

/** Ways of playing that cue keys call up, in the order of the keys; the first is as it was made. */
export const WAYS: readonly ((patch: Patch) => Patch)[] = [
  (patch) => patch,
  (patch) => ({
    ...patch,
    attack: patch.attack * 6 + 0.05,
    bright: patch.bright * 0.85,
    gain: patch.gain * 0.9,
  }),
  (patch) => ({
    ...patch,
    release: Math.min(patch.release, 0.08),
    partials: patch.partials.map(
      ([ratio, strength, fall]) => [ratio, strength, Math.min(fall, 0.4)] as const,
    ),
  }),
  (patch) => ({ ...patch, attack: patch.attack * 0.3, dull: patch.bright * 0.9, noise: [0.4, 0.05] }),
];
