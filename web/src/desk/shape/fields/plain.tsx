/** Fields of numbers and words: what they hold says how they are asked for. */
import { useId, useRef } from "react";
import { lanesOf, limitsOf, specOf } from "../../../api/strokes";
import { OWN_KINDS } from "../../../score/own";
import { Choice } from "../../../ui/Choice";
import { Check, List, Turns } from "../../../ui/Entries";
import { NameEntry } from "../../../ui/NameEntry";
import { NumberEntry } from "../../../ui/NumberEntry";
import { rounded } from "../../../ui/numbers";
import { anotherRoll, beginning, GRIDS, lookedUp } from "../../strokes/numbers";
import { useDesk } from "../../take/state";
import { type FieldProps, told } from "./form";

/** A field may be one place of several: "lean.1". */
function placed({ ask, stroke }: FieldProps) {
  const [name = "", place] = ask.name.split(".");
  const held = told(stroke, name);
  if (place === undefined) return { name, value: held, filled: (made: unknown) => ({ [name]: made }) };
  const all = held as number[];
  const filled = (made: unknown) => ({
    [name]: all.map((old, at) => (at === Number(place) ? made : old)),
  });
  return { name, value: all[Number(place)], filled };
}

export function NumberField(form: FieldProps) {
  const { ask, stroke, change, keep, problem } = form;
  const { name, value, filled } = placed(form);
  const { absent } = ask;
  return (
    <NumberEntry
      label={ask.label}
      step={ask.step ?? 1}
      limits={limitsOf(stroke.kind, name)}
      usual={specOf(stroke.kind).fields[name]?.default as number | null | undefined}
      value={value == null && absent !== undefined ? null : Number(value ?? 0)}
      problem={problem === ask.name}
      onTry={(tried) => change(filled(tried))}
      onKeep={(kept) => keep(filled(kept))}
      absent={
        absent === undefined
          ? undefined
          : { shown: absent, onTry: () => change(filled(null)), onKeep: () => keep(filled(null)) }
      }
    />
  );
}

/** A number of chance, and another one. */
export function RollField(form: FieldProps) {
  return (
    <>
      <NumberField {...form} />
      <button
        type="button"
        className="key col-span-2 h-7"
        onClick={() => form.keep({ [form.ask.name]: anotherRoll() })}
      >
        Another roll
      </button>
    </>
  );
}

const MEASURES = [
  ["mean", "mean"],
  ["min", "lowest"],
  ["max", "highest"],
  ["number", "at"],
] as const;

/** A number, or a word that stands for what the notes give. */
export function MeasureField(form: FieldProps) {
  const { ask, stroke, keep } = form;
  const mean = useDesk((state) => Math.round(state.facts?.mean ?? 64));
  const value = told(stroke, ask.name);
  const isNumber = typeof value === "number";
  return (
    <>
      <Choice
        label={ask.label}
        className="col-span-2"
        value={isNumber ? "number" : String(value)}
        options={MEASURES}
        onChange={(chosen) => keep({ [ask.name]: chosen === "number" ? (isNumber ? value : mean) : chosen })}
      />
      {isNumber && <NumberField {...form} />}
    </>
  );
}

/** So many words stand side by side; more are a list. */
const MOST_SIDE_BY_SIDE = 6;

export function ChoiceField({ ask, stroke, keep }: FieldProps) {
  const options = ask.options ?? [];
  const value = String(told(stroke, ask.name));
  const choose = (chosen: string) => {
    const option = options.find((one) => String(one.value) === chosen);
    // What says nothing goes on saying nothing: a plain ramp does not begin to turn.
    const anew = Object.entries(option?.sets ?? {}).filter(([field]) => told(stroke, field) != null);
    keep({ [ask.name]: option?.value, ...Object.fromEntries(anew) });
  };
  if (options.length > MOST_SIDE_BY_SIDE)
    return (
      <List label={ask.label} value={value} onChange={choose}>
        {options.map((one) => (
          <option key={String(one.value)} value={String(one.value)}>
            {one.words}
          </option>
        ))}
      </List>
    );
  return (
    <Choice
      label={ask.label}
      className="col-span-2"
      value={value}
      options={options.map((one) => [String(one.value), one.words] as const)}
      onChange={choose}
    />
  );
}

export function FlagField({ ask, stroke, keep }: FieldProps) {
  return (
    <div className="col-span-2">
      <Check
        words={ask.label}
        on={Boolean(told(stroke, ask.name))}
        onChange={(on) => keep({ [ask.name]: on })}
      />
    </div>
  );
}

/** Which of several fields it is that says it: the others say nothing then. */
export function OneOfField({ ask, stroke, keep }: FieldProps) {
  const options = ask.options ?? [];
  const known = options.find(({ value }) => told(stroke, String(value)) != null) ?? options[0]!;
  const turn = (chosen: string) => {
    const option = options.find(({ value }) => value === chosen);
    const none = Object.fromEntries(options.map(({ value }) => [value, null]));
    keep({ ...none, ...lookedUp(option?.sets ?? {}, "", stroke.where ?? {}) });
  };
  if (options.length < 3)
    return (
      <Choice
        label={ask.label}
        className="col-span-2"
        value={String(known.value)}
        options={options.map(({ value, words }) => [String(value), words] as const)}
        onChange={turn}
      />
    );
  return (
    <List label={ask.label} value={String(known.value)} className="col-span-2" onChange={turn}>
      {options.map(({ value, words }) => (
        <option key={String(value)} value={String(value)}>
          {words}
        </option>
      ))}
    </List>
  );
}

/** Whether a ramp turns back, and where: without a lane of its own the highest that makes sense there. */
export function TurnsField({ ask, stroke, keep }: FieldProps) {
  const [start = 0, end = 0, peak = 0] = ["start", "end", ask.name].map((field) =>
    told(stroke, field),
  ) as number[];
  const lane = lanesOf(stroke)[0]!;
  const top = ask.start ?? beginning(lane).peak;
  const turned = lane ? { peak: Math.max(start, end, top), end: start } : { peak: Math.max(start, end, top) };
  // A way that comes back to where it began would be none without its peak.
  const straight = lane && start === end ? { peak: null, end: peak } : { peak: null };
  return (
    <Turns
      label={ask.label}
      className="col-span-2"
      turns={peak != null}
      onChange={(turns) => keep(turns ? { ...turned, peak_at: 0.5 } : straight)}
    />
  );
}

export const gridWords = (one: number) => (one % 3 ? `1/${one}` : `1/${(one * 2) / 3} triplet`);

export function LinesField({ ask, stroke, keep }: FieldProps) {
  const grid = Number(told(stroke, ask.name) ?? 16);
  return (
    <List
      label={ask.label}
      className="col-span-2"
      value={grid}
      onChange={(value) => keep({ [ask.name]: Number(value) })}
    >
      {GRIDS.map((one) => (
        <option key={one} value={one}>
          {gridWords(one)}
        </option>
      ))}
    </List>
  );
}

/** Some kinds of curves of notes; where it may be left open, all of them, the usual ones, or none. */
export function KindsField({ ask, stroke, keep }: FieldProps) {
  const label = useId();
  const keys = told(stroke, ask.name) as string[] | null | undefined;
  const usual = keys == null ? "all" : keys.length ? "some" : "none";
  // What may not be left open is about what stands beside pitch.
  const kinds = ask.absent ? OWN_KINDS : OWN_KINDS.slice(1);
  return (
    <>
      {ask.absent && (
        <Choice
          label={ask.label}
          className="col-span-2"
          value={usual}
          options={[
            ["all", ask.absent],
            ["some", "pitch, pressure"],
            ["none", "none"],
          ]}
          onChange={(which) =>
            keep({ [ask.name]: which === "all" ? null : which === "none" ? [] : OWN_KINDS.slice(0, 2) })
          }
        />
      )}
      {(!ask.absent || usual === "some") && (
        <fieldset className="col-span-2 text-[13px]" aria-labelledby={label}>
          <span id={label} className={ask.absent ? "sr-only" : ""}>
            {ask.label}:
          </span>
          <span className="mt-0.5 flex flex-wrap gap-x-3">
            {kinds.map((key) => (
              <Check
                key={key}
                words={key.slice(5)}
                on={keys?.includes(key) ?? false}
                onChange={(on) => {
                  const others = (keys ?? []).filter((one) => one !== key);
                  keep({ [ask.name]: on ? [...others, key] : others });
                }}
              />
            ))}
          </span>
        </fieldset>
      )}
    </>
  );
}

export function TextField({ ask, stroke, keep }: FieldProps) {
  return (
    <div className="col-span-2 flex items-center gap-2">
      <span className="text-faded">{ask.label}</span>
      <NameEntry
        label={ask.label}
        name={String(told(stroke, ask.name) ?? "")}
        maxLength={120}
        className="flex-1"
        onDone={(name) => keep({ [ask.name]: name })}
      />
    </div>
  );
}

/** Taps further apart than this begin anew. */
const TAP_MS = 3000;
const MOST_TAPS = 9;

/** A number that is tapped: so many a minute as the last taps were apart. */
export function TapField({ ask, change, keep }: FieldProps) {
  const taps = useRef<number[]>([]);
  const tap = () => {
    const now = performance.now();
    const before = taps.current.at(-1) ?? Number.NEGATIVE_INFINITY;
    taps.current = [...(now - before > TAP_MS ? [] : taps.current), now].slice(-MOST_TAPS);
    const [first = now] = taps.current;
    const beats = taps.current.length - 1;
    if (beats < 1) return;
    const bpm = { [ask.name]: rounded((60_000 * beats) / (now - first), 1) };
    if (beats < 3) change(bpm);
    else keep(bpm);
  };
  return (
    <button
      type="button"
      className="key col-span-2 h-7"
      title="Tap the beat: the last eight taps count"
      onPointerDown={tap}
      onKeyDown={(event) => {
        if (event.key === " " && !event.repeat) tap();
      }}
    >
      {ask.label}
    </button>
  );
}
