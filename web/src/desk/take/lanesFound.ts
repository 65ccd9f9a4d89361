/** Lanes by any word of the trade: what has data first, then favourites, then what the part's instrument answers to. */
import type { LaneKind } from "../../api/client";
import { VELOCITY } from "../../score/lanes";
import { lanesShown } from "./arranging";
import { desk, lanesThere, leadPart } from "./state";

export interface FoundLane {
  kind: LaneKind;
  label: string;
  /** Why it stands where it stands. */
  because: "has data" | "favourite" | "answered" | "";
  /** How well the words fit: 0 is meant by them alone. */
  rank: number;
}

const ORDER = ["has data", "favourite", "answered", ""];

/** Also velocity, where it can be meant. */
export function lanesFound(words: string, withVelocity = false): FoundLane[] {
  const { wishes, kinds, arrangement } = desk();
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  const part = leadPart();
  const data = new Set(part?.lanes.map(({ key }) => key));
  const open = new Set(lanesShown(arrangement, part).map(({ key }) => key));
  const taken = new Set(part?.sent.takes ?? []);
  const velocity = kinds.get(VELOCITY);
  const all = [...(withVelocity && velocity ? [velocity] : []), ...lanesThere()];
  const found = all.map((kind): FoundLane => {
    const favourite = wishes.favourites?.find(({ key }) => key === kind.key);
    const isThere = kind.key === VELOCITY || data.has(kind.key) || open.has(kind.key);
    const because = isThere ? "has data" : favourite ? "favourite" : taken.has(kind.key) ? "answered" : "";
    const label = favourite?.label || kind.title;
    // A number that is typed whole is that number; a word that begins the name comes before one within it.
    const name = `${label} ${kind.title}`.toLowerCase();
    const exact = wanted.length === 1 && (String(kind.number) === wanted[0] || kind.key === wanted[0]);
    const first = wanted.length > 0 && name.split(/[\s(]+/).some((word) => word.startsWith(wanted[0]!));
    return { kind, label, because, rank: exact ? 0 : first ? 1 : 2 };
  });
  return found
    .filter(({ kind, label }) => {
      const text = `${label} ${kind.title} ${kind.key} ${kind.called}`.toLowerCase();
      return wanted.every((word) => text.includes(word));
    })
    .sort((a, b) => a.rank - b.rank || ORDER.indexOf(a.because) - ORDER.indexOf(b.because));
}
