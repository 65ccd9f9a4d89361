/** What the rules of performance did to the note under the pointer: asked for when the pointer rests, and kept. */
import { answered, api, type Schemas } from "../../api/client";
import { signed } from "../../ui/numbers";
import { desk, takePath } from "./state";

const REST_MS = 120;
const MOST_KEPT = 200;
/** Of the open stroke, or of none. */
const known = new Map<string, string>();
let knownOf: unknown;
let resting = 0;
let asked = "";

/** In words, where they are known; otherwise they come, and `told` is called. */
export function reasonsOf(note: number, told: () => void): string {
  window.clearTimeout(resting);
  const { history, shaping } = desk();
  const open = shaping && !shaping.problem ? { stroke: shaping.stroke, number: shaping.number } : {};
  const body = { revision: history.revision, note, ...open };
  if (knownOf !== open.stroke) known.clear();
  knownOf = open.stroke;
  const key = `${takePath().take_id} ${history.revision} ${note}`;
  asked = key;
  if (!known.has(key)) resting = window.setTimeout(() => void ask(key, body, told), REST_MS);
  return known.get(key) ?? "";
}

async function ask(key: string, body: Schemas["ReasonsAsked"], told: () => void): Promise<void> {
  let found: Schemas["Reason"][];
  try {
    found = await answered<Schemas["Reason"][]>(
      api.POST("/api/takes/{take_id}/reasons", { params: { path: takePath() }, body }),
    );
  } catch {
    // The take has gone on, or cannot be reached: the pointer asks again.
    return;
  }
  if (known.size > MOST_KEPT) known.clear();
  known.set(key, found.map(inWords).join(", "));
  if (asked === key) told();
}

function inWords({ rule, velocity, begins_ms, ends_ms, moves }: Schemas["Reason"]): string {
  const says: string[] = [];
  if (velocity) says.push(velocity > 0 ? `+${velocity}` : signed(velocity));
  const [late, lasts] = [Math.round(begins_ms), Math.round(ends_ms - begins_ms)];
  if (late) says.push(`${Math.abs(late)} ms ${late > 0 ? "later" : "sooner"}`);
  if (lasts) says.push(`${Math.abs(lasts)} ms ${lasts > 0 ? "longer" : "shorter"}`);
  return says.length || !moves ? `${rule} ${says.join(" ")}` : rule;
}
