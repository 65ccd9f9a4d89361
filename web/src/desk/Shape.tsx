import { ToggleGroup } from "radix-ui";
import { useState } from "react";
import type { Facts, Hairpin, Stroke } from "../api/client";
import { count } from "../parts/time";
import { renamePart, rowName } from "./arranging";
import { hairpin } from "./keys";
import { NumberEntry } from "./NumberEntry";
import { Rules } from "./Rules";
import { selected } from "./selecting";
import { apply, deleteStroke, keep, letGo, preview } from "./shaping";
import { leadPart, type Shaping, useDesk } from "./state";

type Nudge = Extract<Stroke, { kind: "velocity.nudge" }>;
type Limit = NonNullable<Nudge["limit"]>;

/** Facts of the selection, and the gestures that fit it, with their numbers. */
export function Shape() {
  const shaping = useDesk((state) => state.shaping);
  const facts = useDesk((state) => state.facts);
  const hasSelection = useDesk((state) => state.chosenCount > 0 || state.span !== null);
  return (
    <section aria-label="Shape" className="border-b border-rule-strong p-4">
      <h2 className="mb-2 text-[15px] font-semibold">Shape</h2>
      <VoiceName />
      {facts ? <FactsView facts={facts} /> : <Advice hasSelection={hasSelection} />}
      {shaping ? (
        <OpenStroke shaping={shaping} />
      ) : (
        <>
          {hasSelection && <Gestures />}
          <Rules />
        </>
      )}
    </section>
  );
}

/** The voice that is shown alone, by a name that can be changed; it is kept with the take. */
function VoiceName() {
  const voice = useDesk((state) => state.voice);
  const part = useDesk((state) => leadPart(state));
  if (voice === null || !part?.drum) return null;
  const name = rowName(part, voice);
  return (
    <label className="mb-2 flex items-center gap-2">
      <span className="text-faded">Voice</span>
      <input
        key={`${part.id} ${voice} ${name}`}
        aria-label="Name of the voice"
        defaultValue={name}
        maxLength={120}
        className="entry flex-1 text-left"
        onKeyDown={(event) => {
          if (event.key === "Escape") event.currentTarget.value = name;
          if (event.key === "Escape" || event.key === "Enter") event.currentTarget.blur();
        }}
        onBlur={(event) => {
          const typed = event.currentTarget.value.trim();
          if (typed !== name) renamePart(part.id, { voices: { [voice]: typed } });
        }}
      />
    </label>
  );
}

function Advice({ hasSelection }: { hasSelection: boolean }) {
  return (
    <p className="text-faded">
      {hasSelection
        ? "No notes begin in this span."
        : "Drag over notes, or along the ruler for a span. Then drag on the velocity lane to draw a hairpin."}
    </p>
  );
}

function FactsView({ facts }: { facts: Facts }) {
  const most = Math.max(...facts.spread, 1);
  return (
    <div className="mb-3">
      <p data-testid="facts">
        {count(facts.count, "note")}
        {facts.at_end > 0 && <span className="text-faded">, {facts.at_end} at the end of the range</span>}
      </p>
      <svg viewBox="0 0 128 30" preserveAspectRatio="none" className="my-1.5 h-9 w-full" aria-hidden>
        {facts.spread.map((notes, bin) => {
          const high = notes ? 2 + (26 * notes) / most : 0;
          return (
            <rect
              key={bin}
              x={bin * 8 + 0.5}
              y={29 - high}
              width={7}
              height={high}
              fill="var(--color-faded)"
            />
          );
        })}
        <path d="M0 29.5H128" stroke="var(--color-rule-strong)" />
      </svg>
      <dl className="grid grid-cols-3 text-center">
        <Fact name="lowest" value={facts.lowest} />
        <Fact name="mean" value={facts.mean} mark={facts.dynamic} />
        <Fact name="highest" value={facts.highest} />
      </dl>
    </div>
  );
}

function Fact({ name, value, mark }: { name: string; value: number; mark?: string }) {
  return (
    <div className="flex flex-col-reverse">
      <dt className="text-[12px] text-faded">{name}</dt>
      <dd className="text-[15px] font-medium">
        {value}
        {mark && <span className="ml-1 font-mark italic">{mark}</span>}
      </dd>
    </div>
  );
}

function OpenStroke({ shaping }: { shaping: Shaping }) {
  const { stroke, number, problem } = shaping;
  const change = (fields: Partial<Stroke>) => preview({ ...stroke, ...fields } as Stroke);
  const keepChange = (fields: Partial<Stroke>) => {
    change(fields);
    if (number !== null) void keep();
  };
  const form = { change, keep: keepChange, field: shaping.field };
  return (
    <div className="border-t border-rule pt-3">
      <h3 className="mb-2 font-semibold text-accent-deep">
        {NAMES[stroke.kind]}
        <span className="ml-1.5 font-normal text-faded">{number === null ? "new" : `stroke ${number}`}</span>
      </h3>
      {stroke.kind === "velocity.hairpin" && <HairpinForm stroke={stroke} {...form} />}
      {stroke.kind === "velocity.set" && (
        <NumberEntry
          label="Velocity"
          value={stroke.value}
          onTry={(value) => change({ value })}
          onKeep={(value) => keepChange({ value })}
        />
      )}
      {stroke.kind === "velocity.nudge" && (
        <>
          <NumberEntry
            label="By"
            value={stroke.by}
            onTry={(by) => change({ by })}
            onKeep={(by) => keepChange({ by })}
          />
          <LimitChoice value={stroke.limit ?? "pin"} onChange={(limit) => keepChange({ limit })} />
        </>
      )}
      {stroke.kind === "lane.nodes" && stroke.nodes.length === 1 && (
        <NumberEntry
          label="Value"
          value={stroke.nodes[0].value}
          onTry={(value) => change({ nodes: [{ ...stroke.nodes[0], value }] })}
          onKeep={(value) => keepChange({ nodes: [{ ...stroke.nodes[0], value }] })}
        />
      )}
      {problem && (
        <p role="alert" className="mt-2 text-accent-deep">
          {problem}
        </p>
      )}
      <div className="mt-3 flex gap-2">
        {number === null ? (
          <button
            type="button"
            className="key key-warm flex-1"
            disabled={!!problem}
            onClick={() => void keep()}
          >
            Keep
          </button>
        ) : (
          <button type="button" className="key" onClick={() => void deleteStroke(number)}>
            Delete
          </button>
        )}
        <button type="button" className="key flex-1" onClick={letGo}>
          {number === null ? "Let go" : "Done"}
        </button>
      </div>
    </div>
  );
}

const NAMES: Record<Stroke["kind"], string> = {
  "velocity.hairpin": "Hairpin",
  "velocity.set": "Set",
  "velocity.nudge": "Nudge",
  "lane.nodes": "Lane",
};

interface FormProps {
  stroke: Hairpin;
  change: (fields: Partial<Hairpin>) => void;
  keep: (fields: Partial<Hairpin>) => void;
  field: string | null;
}

function HairpinForm({ stroke, change, keep, field }: FormProps) {
  const entry = (
    name: "start" | "end" | "lift" | "ease" | "accents" | "floor" | "ceiling",
    label: string,
    step: number,
  ) => (
    <NumberEntry
      label={label}
      step={step}
      value={stroke[name] ?? 0}
      problem={field === name}
      onTry={(value) => change({ [name]: value })}
      onKeep={(value) => keep({ [name]: value })}
    />
  );
  const byFactor = stroke.mode === "by";
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
      <Choice
        label="Mode"
        className="col-span-2"
        value={stroke.mode ?? "to"}
        options={[
          ["to", "to velocities"],
          ["by", "by factors"],
        ]}
        onChange={(mode) => {
          // The same numbers mean other things in the other mode: begin with ones that make sense there.
          keep(mode === "by" ? { mode, start: 1, end: 1 } : { mode: "to", start: 64, end: 96 });
        }}
      />
      {entry("start", "Start", byFactor ? 0.05 : 1)}
      {entry("end", "End", byFactor ? 0.05 : 1)}
      {entry("lift", "Lift", 0.05)}
      {entry("ease", "Ease", 0.05)}
      {!byFactor && entry("accents", "Accents", 0.05)}
      {byFactor && <span />}
      <span />
      {entry("floor", "Floor", 1)}
      {entry("ceiling", "Ceiling", 1)}
    </div>
  );
}

function Gestures() {
  const [value, setValue] = useState(80);
  const [by, setBy] = useState(8);
  const [limit, setLimit] = useState<Limit>("pin");
  const where = () => selected() ?? {};
  return (
    <div className="space-y-3 border-t border-rule pt-3">
      <button type="button" className="key w-full" onClick={hairpin}>
        <svg viewBox="0 0 24 12" className="h-3 w-6 text-accent" aria-hidden>
          <path d="M23 1 L1 6 L23 11" fill="none" stroke="currentColor" strokeWidth="1.5" />
        </svg>
        Hairpin over the selection
      </button>
      <form
        className="flex items-center gap-2"
        onSubmit={(event) => {
          event.preventDefault();
          void apply({ kind: "velocity.set", where: where(), value });
        }}
      >
        <NumberEntry label="All to" value={value} onTry={setValue} onKeep={setValue} className="flex-1" />
        <button type="submit" className="key w-20">
          Set
        </button>
      </form>
      <form
        className="space-y-1.5"
        onSubmit={(event) => {
          event.preventDefault();
          void apply({ kind: "velocity.nudge", where: where(), by, limit });
        }}
      >
        <div className="flex items-center gap-2">
          <NumberEntry label="All by" value={by} onTry={setBy} onKeep={setBy} className="flex-1" />
          <button type="submit" className="key w-20">
            Nudge
          </button>
        </div>
        <LimitChoice value={limit} onChange={setLimit} />
      </form>
    </div>
  );
}

function LimitChoice({ value, onChange }: { value: Limit; onChange: (limit: Limit) => void }) {
  return (
    <Choice
      label="At the end"
      value={value}
      options={[
        ["stop", "stop"],
        ["pin", "pin"],
        ["squeeze", "squeeze"],
      ]}
      onChange={onChange}
    />
  );
}

interface ChoiceProps<T extends string> {
  label: string;
  value: T;
  options: [T, string][];
  onChange: (value: T) => void;
  className?: string;
}

/** One of a few words. */
function Choice<T extends string>({ label, value, options, onChange, className = "" }: ChoiceProps<T>) {
  return (
    <div className={`flex items-center justify-between gap-2 ${className}`}>
      <span className="text-faded">{label}</span>
      <ToggleGroup.Root
        type="single"
        aria-label={label}
        value={value}
        onValueChange={(chosen: string) => chosen && onChange(chosen as T)}
        className="flex rounded border border-rule-strong"
      >
        {options.map(([option, name]) => (
          <ToggleGroup.Item
            key={option}
            value={option}
            className="h-6 px-2 first:rounded-l last:rounded-r data-[state=on]:bg-ink data-[state=on]:text-sheet"
          >
            {name}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </div>
  );
}
