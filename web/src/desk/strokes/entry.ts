/** What an entry in the table of strokes is made of; defaults and limits come from the core's models. */
import type { Stroke } from "../../api/client";
import TABLE from "../../api/generated/strokes.json";
import type { Sign } from "./signs";

export type Kind = Stroke["kind"];
export type Of<K extends Kind> = Extract<Stroke, { kind: K }>;

export interface NumberField {
  name: string;
  label: string;
  step?: number;
  /** It may be left empty: what stands there then. */
  absent?: string;
}

export interface ChoiceField {
  name: string;
  label: string;
  options: readonly (readonly [string, string])[];
}

/** A number, or a word that stands for what the notes give. */
export interface MeasureField {
  name: string;
  label: string;
  measures: true;
}

export type Field = NumberField | ChoiceField | MeasureField;

/** One way to begin a stroke: a button in Shape, and an action that search finds. */
export interface Gesture {
  sign: Sign;
  name: string;
  title: string;
  /** Other words that players have for it. */
  words: string;
  /** Only where notes or a span are chosen. */
  forSelection?: boolean;
  /** On which lane it begins: the one that Shape acts on. */
  begin: (lane: string) => void;
}

export interface Entry {
  name: string;
  /** What it is good for, in a line. */
  says?: string;
  fields: readonly Field[];
  /** Where its gestures are offered. */
  on: "velocity" | "notes" | "lane" | "bend" | "own" | "pedal";
  /** Only for lanes that slide, or only for those that are off or on; absent: for both. */
  slides?: boolean;
  gestures: readonly Gesture[];
}

interface Known {
  default?: unknown;
  low?: number;
  high?: number;
}

const known = (kind: Kind) => TABLE[kind] as Record<string, Known>;

/** The fields of a kind that have a default. */
type Defaulted<K extends Kind> = {
  [F in keyof (typeof TABLE)[K]]: (typeof TABLE)[K][F] extends { default: unknown } ? F : never;
}[keyof (typeof TABLE)[K]];

type Given<K extends Kind> = Omit<Of<K>, "kind" | Defaulted<K>> & Partial<Omit<Of<K>, "kind">>;

/** A stroke of a kind with all numbers as they are where nobody gives them; `more` are those that are given: at least all that have no default. */
export function plain<K extends Kind>(kind: K, more: Given<K>): Of<K> {
  const given = Object.entries(known(kind)).filter(([, field]) => field.default !== undefined);
  return {
    kind,
    ...Object.fromEntries(given.map(([name, field]) => [name, field.default])),
    ...more,
  } as Of<K>;
}

/** The lowest and the highest number that a field takes. */
export function limitsOf(kind: Kind, field: string): [number, number] {
  const { low, high } = known(kind)[field] ?? {};
  return [low ?? Number.NEGATIVE_INFINITY, high ?? Number.POSITIVE_INFINITY];
}
