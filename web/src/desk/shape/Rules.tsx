import { useEffect, useState } from "react";
import { VELOCITY } from "../../score/lanes";
import { NumberEntry } from "../../ui/NumberEntry";
import { count } from "../../ui/words";
import { chooseRanges, type Rule, tryRule } from "../take/choosing";
import { apply } from "../take/shaping";
import { desk, kindOf, useDesk } from "../take/state";

const GHOST = 22;

interface Offer {
  name: string;
  fields: { name: string; label: string; start: number; step?: number }[];
  rule: (number: (name: string) => number) => Rule | string;
}

/** How far from its place a note may be played and still count, in beats. */
const NEAR = 0.125;

const OFFERS: Offer[] = [
  { name: "of the same pitch", fields: [], rule: () => ({ kind: "same pitch" }) },
  { name: "on the beat", fields: [], rule: () => ({ kind: "beat", on: true, tolerance: NEAR }) },
  { name: "off the beat", fields: [], rule: () => ({ kind: "beat", on: false, tolerance: NEAR }) },
  {
    name: "at a place in the bar",
    fields: [{ name: "beat", label: "Beat", start: 1, step: 0.5 }],
    rule: (number) => ({ kind: "bar place", beat: number("beat"), tolerance: NEAR }),
  },
  {
    name: "by velocity",
    fields: [
      { name: "low", label: "From", start: 1 },
      { name: "high", label: "To", start: 40 },
    ],
    rule: (number) => ({ kind: VELOCITY, low: number("low"), high: number("high") }),
  },
  {
    name: "by length in quarters",
    fields: [
      { name: "low", label: "From", start: 0, step: 0.25 },
      { name: "high", label: "To", start: 0.5, step: 0.25 },
    ],
    rule: (number) => ({ kind: "length", low: number("low"), high: number("high") }),
  },
  { name: "on top of each chord", fields: [], rule: () => ({ kind: "chord", edge: "top" }) },
  { name: "at the bottom of each chord", fields: [], rule: () => ({ kind: "chord", edge: "bottom" }) },
  {
    name: "every n-th",
    fields: [
      { name: "n", label: "Every", start: 2 },
      { name: "first", label: "From the", start: 1 },
    ],
    rule: (number) => ({ kind: "every", n: number("n"), first: number("first") }),
  },
  {
    name: "in the span",
    fields: [],
    rule: () => {
      const { span } = desk();
      return span ? { kind: "span", span } : "Drag along the ruler first: there is no span.";
    },
  },
];

type Found = Awaited<ReturnType<typeof tryRule>> | null;

/** What a rule finds, as long as it is the one that is asked for. */
function useFound(offer: Offer, filled: Record<string, number>): Found {
  const [found, setFound] = useState<Found>(null);
  const takeId = useDesk((state) => state.score?.id);
  const revision = useDesk((state) => state.history.revision);
  const chosen = useDesk((state) => state.chosen);
  const fronts = useDesk((state) => state.fronts);
  const span = useDesk((state) => state.span);
  const key = JSON.stringify([takeId, offer.name, filled, revision, fronts, span]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the key stands for all that the rule depends on
  useEffect(() => {
    if (!takeId) return;
    let wanted = true;
    const wait = setTimeout(async () => {
      const rule = offer.rule((name) => filled[name] ?? 0);
      const answer = typeof rule === "string" ? rule : await tryRule(rule);
      if (wanted) setFound(answer);
    }, 120);
    return () => {
      wanted = false;
      clearTimeout(wait);
    };
  }, [key, chosen]);
  return found;
}

/** Choosing notes by rule. What it would choose is counted before it is done. */
export function Rules() {
  const [at, setAt] = useState(0);
  const [used, setUsed] = useState(false);
  const [numbers, setNumbers] = useState<Record<string, number>>({});
  const offer = OFFERS[at]!;
  const filled = { ...Object.fromEntries(offer.fields.map(({ name, start }) => [name, start])), ...numbers };
  const found = useFound(offer, filled);
  const notes = found === null || typeof found === "string" ? null : found.notes;
  return (
    <form
      className="mt-3 space-y-1.5 border-t border-rule pt-3"
      aria-label="Choose by rule"
      onFocus={() => setUsed(true)}
      onBlur={(event) => setUsed(event.currentTarget.contains(event.relatedTarget))}
      onSubmit={(event) => {
        event.preventDefault();
        if (notes) chooseRanges(notes);
      }}
    >
      <label className="flex items-center justify-between gap-2">
        <span className="text-faded">Notes</span>
        <select
          value={at}
          aria-label="Rule"
          onChange={(event) => {
            setAt(Number(event.target.value));
            setNumbers({});
          }}
          className="entry max-w-44 text-left"
        >
          {OFFERS.map(({ name }, index) => (
            <option key={name} value={index}>
              {name}
            </option>
          ))}
        </select>
      </label>
      <Fields
        key={at}
        fields={offer.fields}
        values={filled}
        onTry={(name, value) => setNumbers((all) => ({ ...all, [name]: value }))}
      />
      <div className="flex items-center gap-2">
        {/* A rule that nobody uses is not read out whenever what it would choose is another. */}
        <span
          className="min-h-[1.35em] flex-1 text-faded"
          aria-live={used ? "polite" : "off"}
          data-testid="rule"
        >
          {found === null ? "" : typeof found === "string" ? found : count(found.count, "note")}
        </span>
        <button type="submit" className="key h-7" disabled={!notes}>
          Choose
        </button>
      </div>
      <Ghosts notes={notes} />
    </form>
  );
}

interface FieldsProps {
  fields: Offer["fields"];
  values: Record<string, number>;
  onTry: (name: string, value: number) => void;
}

function Fields({ fields, values, onTry }: FieldsProps) {
  if (!fields.length) return null;
  return (
    <div className="grid grid-cols-2 gap-4">
      {fields.map(({ name, label, step }) => (
        <NumberEntry
          key={name}
          label={label}
          step={step}
          value={values[name] ?? null}
          onTry={(value) => onTry(name, value)}
        />
      ))}
    </div>
  );
}

function Ghosts({ notes }: { notes: [number, number][] | null }) {
  const { low, high } = useDesk((state) => kindOf(VELOCITY, state));
  const [ghost, setGhost] = useState(GHOST);
  return (
    <div className="flex items-center gap-2">
      <NumberEntry
        label="Ghosts at"
        value={ghost}
        problem={ghost < low || ghost > high}
        onTry={setGhost}
        className="flex-1"
      />
      <button
        type="button"
        className="key h-7"
        title="Set what this rule finds so low that it is barely there: one stroke"
        disabled={!notes}
        onClick={() => notes && void apply({ kind: "velocity.set", where: { notes }, value: ghost })}
      >
        Make ghosts
      </button>
    </div>
  );
}
