/** What the core says of every kind of stroke: its words, its form, its gestures, the defaults and limits of its fields. */
import type { Stroke } from "./client";
import TABLE from "./generated/strokes.json";

export type Kind = Stroke["kind"];
export type Of<K extends Kind> = Extract<Stroke, { kind: K }>;

/** A field is shown while another says something, says nothing, or is one of some values. */
interface When {
  field: string;
  told?: boolean;
  among?: readonly unknown[];
}

export interface Option {
  value: string | boolean | number;
  words: string;
  /** Other fields that begin anew with it. */
  sets?: Record<string, unknown>;
}

/** One field of a form. */
export interface Ask {
  name: string;
  label: string;
  widget: string;
  /** What an arrow key moves it by. */
  step?: number;
  /** It may be left empty: what stands there then. */
  absent?: string;
  options?: readonly Option[];
  when?: readonly When[];
  /** With what it is turned on. */
  start?: number;
  parts?: boolean;
  lanes?: boolean;
}

/** One way to begin a stroke: a key in the panel, and an action that search finds. */
export interface Gesture {
  kind: Kind;
  sign: string;
  name: string;
  title: string;
  /** Other words that players have for it. */
  words: string;
  group: string;
  /** What it acts on. */
  where: string;
  /** Its numbers; those that begin with an @ are looked up where the hand is. */
  given: Record<string, unknown>;
  /** Who opens it, where that is not as usual. */
  begins: string;
  /** Only where notes or a span are chosen. */
  for_selection?: boolean;
  /** Of those on lanes: on the curves of notes as well. */
  on_notes?: boolean;
  /** In the panel behind one key with others of its group. */
  folded?: boolean;
}

export type Family = "velocity" | "notes" | "lane" | "bend" | "own" | "pedal" | "passes" | "ground" | "play";

interface Known {
  default?: unknown;
  low?: number;
  high?: number;
}

interface Spec {
  family: Family;
  name: string;
  says?: string;
  asks: readonly Ask[];
  gestures: readonly Omit<Gesture, "kind">[];
  /** Only on lanes that slide, or only on those that are off or on. */
  slides?: boolean;
  lane?: string;
  named_by: readonly string[];
  evidence?: readonly string[];
  one_part?: boolean;
  /** It goes by where phrases begin. */
  by_phrase?: boolean;
  /** Of these there is one at each place: made again, it is opened again. */
  stands?: boolean;
  /** It can act on several lanes alike. */
  many?: boolean;
  fields: Record<string, Known>;
}

const all = TABLE as unknown as Record<Kind, Spec>;

export const specOf = (kind: Kind): Spec => all[kind];

const GESTURES: readonly Gesture[] = Object.entries(all).flatMap(([kind, { gestures }]) =>
  gestures.map((one) => ({ ...one, kind: kind as Kind })),
);

/** All gestures of a family; of those on lanes, where it can slide or not. */
export const gesturesOn = (family: Family, sliding = true): Gesture[] =>
  GESTURES.filter(({ kind }) => all[kind].family === family && (all[kind].slides ?? sliding) === sliding);

/** The gestures of one kind. */
export const gesturesOf = (wanted: Kind): Gesture[] => GESTURES.filter(({ kind }) => kind === wanted);

/** The fields that a stroke shows as it stands: some belong to one mode only. */
export function asksOf(stroke: Stroke): Ask[] {
  const told = stroke as unknown as Record<string, unknown>;
  const isSo = ({ field, told: says, among }: When) => {
    const value = told[field] ?? all[stroke.kind].fields[field]?.default ?? null;
    return among ? among.includes(value) : says === (value !== null);
  };
  return all[stroke.kind].asks.filter(({ when = [] }) => when.every(isSo));
}

/** The fields of a kind that have a default. */
type Defaulted<K extends Kind> = {
  [F in keyof (typeof TABLE)[K]["fields"]]: (typeof TABLE)[K]["fields"][F] extends { default: unknown }
    ? F
    : never;
}[keyof (typeof TABLE)[K]["fields"]];

type Given<K extends Kind> = Omit<Of<K>, "kind" | Defaulted<K>> & Partial<Omit<Of<K>, "kind">>;

/** A stroke of a kind with all numbers as they are where nobody gives them; `more` are those that are given: at least all that have no default. */
export function plain<K extends Kind>(kind: K, more: Given<K>): Of<K> {
  const given = Object.entries(all[kind].fields).filter(([, field]) => field.default !== undefined);
  return {
    kind,
    ...Object.fromEntries(given.map(([name, field]) => [name, field.default])),
    ...more,
  } as Of<K>;
}

/** The lowest and the highest number that a field takes. */
export function limitsOf(kind: Kind, field: string): [number, number] {
  const { low, high } = all[kind].fields[field] ?? {};
  return [low ?? Number.NEGATIVE_INFINITY, high ?? Number.POSITIVE_INFINITY];
}

/** The lanes that a stroke acts on. */
export function lanesOf(stroke: Stroke): readonly string[] {
  const { lane, named_by } = all[stroke.kind];
  if (lane) return [lane];
  const told = stroke as unknown as Record<string, string | string[] | null | undefined>;
  const named = named_by.map((field) => told[field]).find((one) => one != null) ?? [];
  return typeof named === "string" ? [named] : named;
}

/** Whether a stroke acts on velocities. */
export const actsOnVelocity = ({ kind }: Stroke): boolean => all[kind].family === "velocity";
