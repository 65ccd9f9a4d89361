/** Choosing notes and spans, and what is known of the choice. */
import { answered, api, type Facts, type Schemas, sentence, type Where } from "../../api/client";
import { actsOnVelocity } from "../../api/strokes";
import { type Chosen, maskOf, noneOf, type PartScore, rangesOf } from "../../score/score";
import { read } from "./reading";
import { desk, frontParts, set, takePath } from "./state";

export type Rule = Schemas["RuleAsked"]["rule"];

let factsAsked = 0;
let settling = 0;
/** A hand that moves chooses anew every 16 ms. */
const SETTLED_MS = 50;

export function choose(chosen: Chosen): void {
  let chosenCount = 0;
  for (const { id } of frontParts()) for (const one of chosen[id]!) chosenCount += one;
  set({ chosen, chosenCount });
  void readFacts();
}

/** Choose notes of one part, and none of the others. */
export function chooseIn(part: PartScore, mask: Uint8Array): void {
  const { score } = desk();
  if (!score) return;
  const chosen = [...noneOf(score)];
  chosen[part.id] = mask;
  choose(chosen);
}

export function chooseNone(): void {
  const { score } = desk();
  if (score) choose(noneOf(score));
  set({ voice: null });
}

export function chooseSpan(span: [number, number] | null): void {
  set({ span });
  void readFacts();
}

/** Every note of the parts in front; of one voice only, where one is shown alone. */
export function chooseAll(): void {
  chooseBy(() => 1);
}

export function invertChoice(): void {
  chooseBy((part, note) => 1 - desk().chosen[part.id]![note]!);
}

function chooseBy(wanted: (part: PartScore, note: number) => number): void {
  const { score, voice } = desk();
  if (!score) return;
  const chosen = [...noneOf(score)];
  for (const part of frontParts()) {
    chosen[part.id] = chosen[part.id]!.map((_, note) =>
      voice !== null && part.pitch[note] !== voice ? 0 : wanted(part, note),
    );
  }
  choose(chosen);
}

/** A whole voice by its name: its notes are chosen, and the lane shows it alone. Once more lets go of it. */
export function chooseVoice(pitch: number): void {
  if (desk().voice === pitch) {
    chooseNone();
    return;
  }
  set({ voice: pitch });
  chooseAll();
}

export const partsInFront = () => [...desk().fronts].sort((a, b) => a - b);

/** The leading part, of which alone lanes are edited; and a span of it. */
export const onLead = (span?: [number, number] | null): { parts: number[]; span?: [number, number] } => ({
  parts: [desk().fronts[0]!],
  ...(span ? { span } : {}),
});

/** The chosen notes of the leading part; all of it where none is chosen. */
export function chosenOfLead(): Where {
  const { fronts, chosen, chosenCount } = desk();
  const [part] = frontParts();
  const notes = part && chosenCount ? rangesOf(part, chosen[part.id]!) : [];
  return { parts: [fronts[0]!], ...(notes.length ? { notes } : {}) };
}

/** What a stroke would act on: the chosen notes of the parts in front, the span, or both narrowing each other. */
export function selected(): Where | null {
  const { chosen, chosenCount, span } = desk();
  const parts = frontParts();
  if (!parts.length || (!chosenCount && !span)) return null;
  return {
    parts: partsInFront(),
    ...(chosenCount ? { notes: parts.flatMap((part) => rangesOf(part, chosen[part.id]!)) } : {}),
    ...(span ? { span } : {}),
  };
}

/** What is chosen; otherwise all of the parts in front. */
export function inFront(): Where {
  return selected() ?? { parts: partsInFront() };
}

/** The notes that a rule picks, or why there are none. */
export async function tryRule(rule: Rule): Promise<Schemas["Chosen"] | string> {
  const body = { revision: desk().history.revision, where: inFront(), rule };
  try {
    return await answered<Schemas["Chosen"]>(
      api.POST("/api/takes/{take_id}/select", { params: { path: takePath() }, body }),
    );
  } catch (thrown) {
    return sentence(thrown);
  }
}

export function chooseRanges(ranges: readonly (readonly [number, number])[]): void {
  const { score } = desk();
  if (!score) return;
  const chosen = [...noneOf(score)];
  for (const part of frontParts()) chosen[part.id] = maskOf(part, ranges);
  choose(chosen);
}

/** Ask for the facts of what is chosen once the choice has settled: not at each move of the hand. */
export function readFacts(): void {
  factsAsked++;
  window.clearTimeout(settling);
  settling = window.setTimeout(() => void askFacts(factsAsked), SETTLED_MS);
}

/** What is known of the choice as a stroke would have it: what was asked for before comes too late. */
export function tellFacts(facts: Facts | null): void {
  factsAsked++;
  window.clearTimeout(settling);
  set({ facts });
}

/** The notes of which facts are shown: those of the open stroke, or the chosen ones; null where there are none. */
export function factsWhere(): Where | null {
  const open = desk().shaping?.stroke;
  const where = (open && actsOnVelocity(open) ? open.where : null) ?? selected();
  // Of a part of which nothing is played yet there is nothing to know.
  return where && frontParts().some(({ start }) => start.length) ? where : null;
}

/** Whether the facts that are shown are of the same notes as when this was asked for. */
export function sameFacts(): () => boolean {
  const asked = factsAsked;
  return () => asked === factsAsked;
}

async function askFacts(asked: number): Promise<void> {
  const where = factsWhere();
  if (!where) return set({ facts: null });
  let facts: Facts | null = null;
  try {
    facts = await read<Facts>(["facts", where], () => {
      const body = { revision: desk().history.revision, where };
      return api.POST("/api/takes/{take_id}/facts", { params: { path: takePath() }, body });
    });
  } catch {
    // A selection without notes has no facts.
  }
  if (asked === factsAsked) set({ facts });
}
