/** The numbers with which a kind of stroke was kept last, in this take or another: they are offered again. */
import type { Stroke } from "../../api/client";
import { asksOf } from "../../api/strokes";
import { useDesk } from "../take/state";

type Numbers = Record<string, unknown>;

const KEY = "lull-last-numbers";
/** What can be taken over: numbers and choices. Places, lanes and nodes belong to where they were made. */
const TAKEN = new Set(["number", "choice", "flag", "turns", "measure", "scale"]);

function numbersOf(stroke: Stroke): Numbers {
  const told = stroke as unknown as Numbers;
  const names = asksOf(stroke)
    .filter(({ widget }) => TAKEN.has(widget))
    .map(({ name }) => name.split(".")[0]!);
  return Object.fromEntries(
    names.filter((name) => told[name] !== undefined).map((name) => [name, told[name]]),
  );
}

function known(): Record<string, Numbers> {
  try {
    return JSON.parse(sessionStorage.getItem(KEY) ?? "{}");
  } catch {
    return {};
  }
}

/** Remember what is kept, and what becomes of the newest, for as long as the tab is open. */
export function watchNumbers(): () => void {
  return useDesk.subscribe(({ history }, before) => {
    const newest = history.strokes.at(-1);
    if (!newest || newest.stroke === before.history.strokes.at(-1)?.stroke) return;
    const all = { ...known(), [newest.stroke.kind]: numbersOf(newest.stroke) };
    try {
      sessionStorage.setItem(KEY, JSON.stringify(all));
    } catch {
      // A tab that may store nothing offers nothing again.
    }
  });
}

/** The numbers of last time, where a new stroke has others. */
export function lastNumbers(stroke: Stroke): Numbers | null {
  const last = known()[stroke.kind];
  const now = numbersOf(stroke);
  if (!last) return null;
  const differs = Object.entries(last).some(([name, value]) => String(value) !== String(now[name]));
  return differs ? last : null;
}
