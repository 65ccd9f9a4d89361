/** Numbers that strokes begin with where the table cannot know them: they follow from the lane, the choice and the hand. */
import type { Where } from "../../api/client";
import type { Of } from "../../api/strokes";
import { EXPRESSION, MOD_WHEEL, VELOCITY, valueAt } from "../../score/lanes";
import { isOfNotes, NOTE_PITCH } from "../../score/own";
import { bpmAt, gridTicks, reached, tickAt } from "../../score/score";
import { player } from "../../sound/player";
import { rounded } from "../../ui/numbers";
import { metreAt } from "../take/clicking";
import { desk, frontParts, keptLane, kindOf, leadPart } from "../take/state";
import { firstOnset, stepsOfBar } from "./places";

/** What strokes begin with: on a controller in its 127 steps, on the wheel in semitones. */
interface Beginning {
  low: number;
  high: number;
  peak: number;
  depth: number;
  centre: number;
  tolerance: number;
}
const STEPS: Beginning = { low: 20, high: 100, peak: 90, depth: 24, centre: 64, tolerance: 1 };
const SEMITONES: Beginning = { low: 0, high: 2, peak: 1, depth: 0.5, centre: 0, tolerance: 0.05 };
export const beginning = (lane: string): Beginning => (kindOf(lane).decimals ? SEMITONES : STEPS);

const MOST_SEED = 2 ** 31 - 1;
export const anotherRoll = () => Math.floor(Math.random() * MOST_SEED);

export const GRIDS = [1, 2, 4, 6, 8, 12, 16, 24, 32, 48, 64] as const;

/** The grid of the hand as a stroke names it. */
export function placing(): (typeof GRIDS)[number] {
  const { value, feel } = desk().grid;
  const wanted = feel === "triplet" ? value * 1.5 : value;
  return GRIDS.find((grid) => grid === wanted) ?? 16;
}

const softest = () => desk().facts?.lowest ?? 48;

function loudest(): number {
  const { facts } = desk();
  if (facts && facts.highest > facts.lowest) return facts.highest;
  return Math.min(softest() + 32, kindOf(VELOCITY).high);
}

/** A plain pattern to begin with: the first beat strong, the middle of the bar less so, what is between held back. */
function metric(where: Where): number[] {
  const { score } = desk();
  const steps = score ? stepsOfBar(score, firstOnset(where), 8) : 8;
  return Array.from({ length: steps }, (_, step) =>
    step === 0 ? 1 : 2 * step === steps ? 0.5 : step % 2 ? -0.25 : 0,
  );
}

type Nodes = Of<"note.curve">["nodes"];

const node = (at: number, value: number, ease = 1): Nodes[number] => ({
  at,
  value,
  hold: false,
  lift: 0,
  ease,
});

/** Levels of a curve by what the kind is: an octave's quarter for pitch, most of the range for the others. */
function levels(lane: string): { rest: number; top: number } {
  const kind = kindOf(lane);
  if (lane === NOTE_PITCH) return { rest: 0, top: 2 };
  return { rest: kind.default, top: kind.default ? 112 : 96 };
}

/** Nodes of a curve, none below what its kind takes. */
const within = (lane: string, nodes: Nodes): Nodes =>
  nodes.map((one) => ({ ...one, value: Math.max(one.value, kindOf(lane).low) }));

/** The metre in force at a tick. */
export function metre(tick: number): { beats: number; unit: number } {
  const { score } = desk();
  if (!score) return { beats: 4, unit: 4 };
  const { beats, ticks } = metreAt(score, tick);
  return { beats, unit: Math.round((4 * score.resolution) / ticks) };
}

/** By the words of the table. */
export const NUMBERS: Record<string, (lane: string, where: Where) => unknown> = {
  softest,
  loudest,
  mean: () => Math.round(desk().facts?.mean ?? 80),
  metric: (_, where) => metric(where),
  high: (lane) => beginning(lane).high,
  peak: (lane) => beginning(lane).peak,
  depth: (lane) => beginning(lane).depth,
  centre: (lane) => beginning(lane).centre,
  tolerance: (lane) => beginning(lane).tolerance,
  spread: (lane) => (lane === NOTE_PITCH ? 0.3 : 8),
  /** From the value that is there, where there is one. */
  from: (lane, { span }) => {
    const nodes = isOfNotes(lane) ? undefined : keptLane(lane);
    return nodes && valueAt(nodes, span?.[0] ?? 0) !== null ? null : beginning(lane).low;
  },
  /** On top of what is there, or about the middle of the lane where nothing is. */
  adds: (lane) => (keptLane(lane) ? "add" : "set"),
  behind: (_, { span }) => ({ part: null, lane: null, at: span?.[1] ?? 0 }),
  other: (lane) => (lane === EXPRESSION ? MOD_WHEEL : EXPRESSION),
  "every lane": () => leadPart()?.lanes.map(({ key }) => key) ?? [],
  tempo: (_, { span }) => {
    const { score } = desk();
    return score ? rounded(bpmAt(score, span?.[0] ?? 0)) : 120;
  },
  "beats a bar": (_, { span }) => metre(span?.[0] ?? 0).beats,
  "beat unit": (_, { span }) => metre(span?.[0] ?? 0).unit,
  /** Where something new is put: where the span begins, or where it stands. */
  place: (_, { span }) => {
    const { score } = desk();
    return span?.[0] ?? (score ? Math.round(tickAt(score, player.position())) : 0);
  },
  bounds: (_, { span }) => (span ? [span[0]] : []),
  "grid line": () => {
    const { score, grid } = desk();
    return score ? Math.round(gridTicks(score, grid)) : 0;
  },
  grid: placing,
  /** Whether any of them is heard: then they are muted, otherwise heard again. */
  heard: (_, where) =>
    frontParts().some((part) =>
      reached(part, where).some((one, row) => one === 1 && part.muted?.[row] !== 1),
    ),
  rise: (lane) => within(lane, [node(0, levels(lane).rest), node(1, levels(lane).top)]),
  "there and back": (lane) =>
    within(lane, [node(0, levels(lane).rest), node(0.5, levels(lane).top), node(1, levels(lane).rest)]),
  arrive: (lane) =>
    within(lane, [node(0, 2 * levels(lane).rest - levels(lane).top || 0), node(0.25, levels(lane).rest)]),
};

/** Fields as the table gives them, with what it leaves to be looked up. */
export const lookedUp = (given: Record<string, unknown>, lane: string, where: Where) =>
  Object.fromEntries(
    Object.entries(given).map(([name, value]) => [
      name,
      typeof value === "string" && value.startsWith("@") ? NUMBERS[value.slice(1)]!(lane, where) : value,
    ]),
  );
