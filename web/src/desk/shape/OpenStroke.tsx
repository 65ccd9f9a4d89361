import { useEffect, useRef } from "react";
import type { Hairpin, Schemas, Stroke } from "../../api/client";
import { BEND, EXPRESSION, lanesOf, VELOCITY, VOLUME } from "../../score/lanes";
import { NOTE_PITCH, NOTE_PRESSURE, OWN_KINDS } from "../../score/own";
import { Choice } from "../../ui/Choice";
import { Check, List, Turns } from "../../ui/Entries";
import { NumberEntry } from "../../ui/NumberEntry";
import { PatternEntry } from "../../ui/PatternEntry";
import { anotherRoll, type Fade, firstOnset, rewritten, stepsOfBar, type Writing } from "../strokes/begin";
import { beginning } from "../strokes/beginLane";
import { ENTRIES, fieldsOf } from "../strokes/entries";
import { type Field, limitsOf } from "../strokes/entry";
import { changeLane } from "../take/arranging";
import { deleteStroke, done, keep, keepWith, letGo, preview } from "../take/shaping";
import { desk, type Shaping, useDesk } from "../take/state";
import { CopyPlace, Extent, type FormProps, MovePlace, NotesCopyPlace, Saving } from "./LaneForms";
import { NoteForms } from "./NoteForms";
import { PassForm } from "./PassForm";
import { Heard } from "./Proof";

/** The open stroke with all its numbers: what the pointer does to it shows here, and what is typed here shows on the page. */
export function OpenStroke({ shaping }: { shaping: Shaping }) {
  const { stroke, number, problem, found } = shaping;
  const change = (fields: object) => preview({ ...stroke, ...fields } as Stroke);
  const keepChange = (fields: object) => {
    change(fields);
    if (number !== null) void keep();
  };
  const { name, says } = ENTRIES[stroke.kind];
  // Its numbers are what is wanted now: as much of them as there is room for is brought into sight.
  const form = useRef<HTMLDivElement>(null);
  useEffect(() => {
    form.current?.scrollIntoView({ block: "start" });
  }, []);
  return (
    <div ref={form} className="border-t border-rule pt-3">
      <h3 className="mb-2 font-semibold text-accent-deep">
        {name}
        <span className="ml-1.5 font-normal text-faded">{number === null ? "new" : `stroke ${number}`}</span>
      </h3>
      {says && <p className="mb-2 text-[13px] text-faded">{says}</p>}
      <Numbers stroke={stroke} change={change} keep={keepChange} problem={shaping.field} />
      {/* Room is kept for a reason, so that no button moves under the hand when one comes. */}
      <div className="mt-2 min-h-[2lh] text-accent-deep">
        {problem && <p role="alert">{inWords(problem, shaping.field, stroke)}</p>}
        {!problem && found?.beyond && <Beyond beyond={found.beyond} />}
        {problem &&
          Object.entries(shaping.offer ?? {}).map(([field, value]) => (
            <button
              key={field}
              type="button"
              className="key mt-1 h-8 text-[13px]"
              onClick={() => keepChange({ [field]: value })}
            >
              Take {value}
            </button>
          ))}
      </div>
      {found?.proof && <Heard proof={found.proof} laneKey={BEND} />}
      {found?.also && (
        <p className="mt-1 text-[13px] text-accent-deep" data-testid="also">
          {found.also}
        </p>
      )}
      {/* Where Keep was pressed there lies Done afterwards: nothing that a second press could harm. */}
      <div className="sticky bottom-0 -mx-1 mt-1 flex gap-2 bg-sheet px-1 py-2">
        <button
          type="button"
          className={`key flex-1 ${number === null ? "key-warm" : ""}`}
          disabled={number === null && !!problem}
          onClick={() => void (number === null ? keep() : done())}
        >
          {number === null ? "Keep" : "Done"}
        </button>
        {number === null ? (
          <button type="button" className="key flex-1" onClick={letGo}>
            Cancel
          </button>
        ) : (
          <button type="button" className="key" onClick={() => void deleteStroke(number)}>
            Delete
          </button>
        )}
      </div>
    </div>
  );
}

/** A bend that is drawn further than the wheel goes: said, and made to be heard with one click. */
function Beyond({ beyond }: { beyond: Schemas["Unplayed"] }) {
  const { stroke } = beyond;
  return (
    <p className="text-[13px]" data-testid="beyond" title={beyond.says}>
      Further than the wheel goes: not all is heard.{" "}
      {stroke?.kind === "bend.range" && (
        <button
          type="button"
          className="inline-flex min-h-6 items-center font-medium underline hover:text-ink"
          onClick={() => void keepWith(stroke)}
        >
          Keep, with a range of {stroke.semitones}
        </button>
      )}
    </p>
  );
}

/** A reason with the field called what it is called here. */
function inWords(problem: string, field: string | null, stroke: Stroke): string {
  const label = fieldsOf(stroke).find(({ name }) => name === field)?.label;
  if (!field || !label || !problem.startsWith(field)) return problem;
  return label + problem.slice(field.length).replace("must be a number from ", "must be ");
}

function Numbers(form: FormProps) {
  const { stroke } = form;
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
      {stroke.kind === "velocity.hairpin" && <HairpinModes {...form} stroke={stroke} />}
      {isFade(stroke) && <FadeWriting fade={stroke} />}
      {stroke.kind === "velocity.accent" && <Accents {...form} stroke={stroke} />}
      {stroke.kind === "bend.stream" && (
        <Choice
          label="By"
          className="col-span-2"
          value={stroke.cents == null ? "rate" : "cents"}
          options={[
            ["cents", "how near it is"],
            ["rate", "how many there are"],
          ]}
          onChange={(by) =>
            form.keep(by === "cents" ? { cents: 5, per_second: null } : { cents: null, per_second: 200 })
          }
        />
      )}
      {fieldsOf(stroke).map((field) => (
        <FieldEntry key={field.name} field={field} {...form} />
      ))}
      {stroke.kind === "record.pass" && <PassForm {...form} stroke={stroke} />}
      {stroke.kind === "note.send" && (
        <div className="col-span-2 text-[13px]">
          In place of the part's lane, not on it:
          <span className="mt-0.5 flex flex-wrap gap-x-3">
            {OWN_KINDS.slice(1).map((key) => (
              <Check
                key={key}
                words={key.slice(5)}
                on={stroke.replaces?.includes(key) ?? false}
                onChange={(on) => {
                  const others = (stroke.replaces ?? []).filter((one) => one !== key);
                  form.keep({ replaces: on ? [...others, key] : others });
                }}
              />
            ))}
          </span>
        </div>
      )}
      {stroke.kind === "note.answers" && <Taken {...form} stroke={stroke} />}
      {["velocity.vary", "note.scatter", "notes.loosen"].includes(stroke.kind) && (
        <button
          type="button"
          className="key col-span-2 h-7"
          onClick={() => form.keep({ seed: anotherRoll() })}
        >
          Another roll
        </button>
      )}
      {stroke.kind === "lane.shape" && (
        <Turns
          label="Goes"
          className="col-span-2"
          turns={stroke.peak != null}
          onChange={(turns) =>
            form.keep(
              turns ? { peak: peakOf(stroke), end: stroke.start } : { peak: null, end: peakOf(stroke) },
            )
          }
        />
      )}
      {"lane" in stroke && <Extent {...form} />}
      {stroke.kind === "lane.copy" && <CopyPlace {...form} stroke={stroke} />}
      {stroke.kind.startsWith("notes.") && <NoteForms {...form} />}
      {stroke.kind === "notes.copy" && <NotesCopyPlace {...form} stroke={stroke} />}
      {stroke.kind === "lane.move" && <MovePlace {...form} stroke={stroke} />}
      {stroke.kind === "lane.distil" && <Saving />}
      {stroke.kind === "lane.nodes" && stroke.nodes.length === 1 && (
        <NumberEntry
          label="Value"
          value={stroke.nodes[0].value}
          onTry={(value) => form.change({ nodes: [{ ...stroke.nodes[0], value }] })}
          onKeep={(value) => form.keep({ nodes: [{ ...stroke.nodes[0], value }] })}
        />
      )}
    </div>
  );
}

/** What an instrument takes of single notes: three usual answers, and each kind by itself. */
function Taken({ stroke, keep }: FormProps & { stroke: Extract<Stroke, { kind: "note.answers" }> }) {
  const { keys } = stroke;
  const usual = keys == null ? "all" : keys.length ? "some" : "none";
  return (
    <>
      <Choice
        label="Takes"
        className="col-span-2"
        value={usual}
        options={[
          ["all", "all"],
          ["some", "pitch, pressure"],
          ["none", "none"],
        ]}
        onChange={(which) =>
          keep({ keys: which === "all" ? null : which === "none" ? [] : [NOTE_PITCH, NOTE_PRESSURE] })
        }
      />
      {usual === "some" && (
        <div className="col-span-2 flex flex-wrap gap-x-3">
          {OWN_KINDS.map((key) => (
            <Check
              key={key}
              words={key.slice(5)}
              on={keys?.includes(key) ?? false}
              onChange={(on) =>
                keep({ keys: on ? [...(keys ?? []), key] : (keys ?? []).filter((one) => one !== key) })
              }
            />
          ))}
        </div>
      )}
    </>
  );
}

const peakOf = (stroke: Stroke) => beginning(lanesOf(stroke)[0]).peak;

function FieldEntry({ field, stroke, change, keep, problem }: FormProps & { field: Field }) {
  // A field may be one place of several: "lean.1".
  const [name, place] = field.name.split(".");
  const held = (stroke as unknown as Record<string, unknown>)[name];
  const value = place === undefined ? held : (held as number[])[Number(place)];
  const filled = (made: unknown) => ({
    [name]:
      place === undefined ? made : (held as number[]).map((old, at) => (at === Number(place) ? made : old)),
  });
  if ("options" in field) {
    return (
      <Choice
        label={field.label}
        className="col-span-2"
        value={String(value)}
        options={field.options}
        onChange={(chosen) => keep(filled(typeof held === "boolean" ? chosen === "true" : chosen))}
      />
    );
  }
  const absent = "absent" in field ? field.absent : undefined;
  const entry = (number: number | null) => (
    <NumberEntry
      label={field.label}
      step={"step" in field ? field.step : 1}
      limits={limitsOf(stroke.kind, name)}
      value={number}
      problem={problem === field.name}
      onTry={(tried) => change(filled(tried))}
      onKeep={(kept) => keep(filled(kept))}
      absent={
        absent === undefined
          ? undefined
          : { shown: absent, onTry: () => change(filled(null)), onKeep: () => keep(filled(null)) }
      }
    />
  );
  if (!("measures" in field)) return entry(value == null && absent !== undefined ? null : Number(value ?? 0));
  const isNumber = typeof value === "number";
  const number = isNumber ? value : Math.round(desk().facts?.mean ?? 64);
  return (
    <>
      <Choice
        label={field.label}
        className="col-span-2"
        value={isNumber ? "number" : String(value)}
        options={MEASURES}
        onChange={(chosen) => keep({ [field.name]: chosen === "number" ? number : chosen })}
      />
      {isNumber && entry(number)}
    </>
  );
}

const MEASURES = [
  ["mean", "mean"],
  ["min", "lowest"],
  ["max", "highest"],
  ["number", "at"],
] as const;

// ---- hairpins and fades

const isFade = (stroke: Stroke): stroke is Fade =>
  stroke.kind === "lane.fade" || (stroke.kind === "velocity.hairpin" && stroke.mode === "by");

function HairpinModes({ stroke, keep }: FormProps & { stroke: Hairpin }) {
  const turns = stroke.peak != null;
  const high = stroke.mode === "by" ? 1.25 : 100;
  return (
    <>
      <Turns
        label="Goes"
        className="col-span-2"
        turns={turns}
        onChange={(wanted) =>
          keep(wanted ? { peak: Math.max(stroke.start, stroke.end, high), peak_at: 0.5 } : { peak: null })
        }
      />
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
          const peak = turns ? (mode === "by" ? 1.25 : 100) : null;
          keep(mode === "by" ? { mode, start: 1, end: 1, peak } : { mode: "to", start: 64, end: 96, peak });
        }}
      />
    </>
  );
}

const WRITINGS = [
  [VELOCITY, "touch"],
  [EXPRESSION, "expression"],
  [VOLUME, "volume"],
] as const;

const MEANS: Record<Writing, string> = {
  [VELOCITY]: "Touch: the notes are struck softer, so their tone changes as well.",
  [EXPRESSION]: "Expression (CC 11): only the level changes; the tone stays as it was struck.",
  [VOLUME]: "Volume (CC 7): only the level changes; the tone stays as it was struck.",
};

/** What a fade is written as, and what that does to the sound. */
function FadeWriting({ fade }: { fade: Fade }) {
  const number = useDesk((state) => state.shaping?.number ?? null);
  const writing: Writing =
    fade.kind === "velocity.hairpin" ? VELOCITY : fade.lane === VOLUME ? VOLUME : EXPRESSION;
  const turns = fade.kind === "velocity.hairpin" && fade.peak != null;
  return (
    <div className="col-span-2">
      {!turns && (
        <Choice
          label="As"
          value={writing}
          options={WRITINGS}
          onChange={(as) => {
            if (as !== VELOCITY) changeLane(as, { open: true });
            preview(rewritten(fade, as));
            if (number !== null) void keep();
          }}
        />
      )}
      <p className="pt-1 text-[13px] text-faded">{MEANS[writing]}</p>
    </div>
  );
}

// ---- accents

const GRIDS = [1, 2, 4, 6, 8, 12, 16, 24, 32] as const;

function Accents({
  stroke,
  change,
  keep,
}: FormProps & { stroke: Extract<Stroke, { kind: "velocity.accent" }> }) {
  const score = useDesk((state) => state.score);
  return (
    <>
      <List
        label="Steps of"
        className="col-span-2"
        value={stroke.grid}
        onChange={(value) => {
          const grid = Number(value) as (typeof GRIDS)[number];
          const steps = score
            ? stepsOfBar(score, firstOnset(stroke.where ?? {}), grid)
            : stroke.pattern.length;
          const pattern = Array.from({ length: steps }, (_, step) => {
            const old = (step * stroke.pattern.length) / steps;
            return Number.isInteger(old) ? stroke.pattern[old] : 0;
          });
          keep({ grid, pattern });
        }}
      >
        {GRIDS.map((grid) => (
          <option key={grid} value={grid}>
            {grid % 3 ? `1/${grid}` : `1/${(grid * 2) / 3} triplet`}
          </option>
        ))}
      </List>
      <PatternEntry
        pattern={stroke.pattern}
        onTry={(pattern) => change({ pattern })}
        onKeep={(pattern) => keep({ pattern })}
      />
    </>
  );
}
