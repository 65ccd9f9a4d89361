/** On which lanes and parts a stroke acts, and where copies go. */
import { lanesOf, specOf } from "../../../api/strokes";
import { slides } from "../../../score/lanes";
import { placeOf, tickOfPlace } from "../../../score/score";
import { Choice } from "../../../ui/Choice";
import { Check, List } from "../../../ui/Entries";
import { NumberEntry } from "../../../ui/NumberEntry";
import { partName } from "../../take/arranging";
import { lanesThere, leadPart, useDesk } from "../../take/state";
import { type FieldProps, type FormProps, told } from "./form";

/** Over all of its place at once, or once more over each phrase in it. */
export function EachField({ ask, stroke, keep }: FieldProps) {
  const value = String(stroke.where?.each ?? null);
  return (
    <Choice
      label={ask.label}
      className="col-span-2"
      value={value}
      options={(ask.options ?? []).map((one) => [String(one.value), one.words] as const)}
      onChange={(each) =>
        keep({ where: { ...stroke.where, each: each === "null" ? null : (each as "phrases" | "groups") } })
      }
    />
  );
}

const NOTES = "notes";

/** What of several things is taken, and what is left as it is: notes, and lanes by their keys. */
export function LeftOutField({ ask, stroke, keep }: FieldProps) {
  const kinds = useDesk((state) => state.kinds);
  const { notes = [], lanes = [] } = stroke as { notes?: unknown[]; lanes?: { lane: string }[] };
  const keys = [...(notes.length ? [NOTES] : []), ...new Set(lanes.map(({ lane }) => lane))];
  const left = (told(stroke, ask.name) as string[] | undefined) ?? [];
  return (
    <fieldset aria-label={ask.label} className="col-span-2 flex flex-wrap gap-x-4">
      {keys.map((key) => (
        <Check
          key={key}
          words={key === NOTES ? "Notes" : (kinds.get(key)?.name ?? key)}
          on={!left.includes(key)}
          onChange={(on) => keep({ [ask.name]: on ? left.filter((one) => one !== key) : [...left, key] })}
        />
      ))}
    </fieldset>
  );
}

/** On how many parts and lanes a stroke acts alike: the leading part or all in front, this lane or all that slide. */
export function Extent({ stroke, keep }: FormProps) {
  const { one_part, many } = specOf(stroke.kind);
  const fronts = useDesk((state) => state.fronts);
  const part = useDesk((state) => leadPart(state));
  const activeLane = useDesk((state) => state.activeLane);
  const parts = stroke.where?.parts ?? [];
  const sliding = (part?.lanes ?? []).filter(({ form }) => slides(form)).map(({ key }) => key);
  const keys = lanesOf(stroke);
  return (
    <>
      {fronts.length > 1 && !one_part && (
        <Choice
          label="Parts"
          className="col-span-2"
          value={parts.length > 1 ? "all" : "one"}
          options={[
            ["one", "leading"],
            ["all", "all in front"],
          ]}
          onChange={(which) =>
            keep({ where: { ...stroke.where, parts: which === "all" ? [...fronts] : [fronts[0]] } })
          }
        />
      )}
      {many && sliding.length > 1 && (
        <Choice
          label="Lanes"
          className="col-span-2"
          value={keys.length > 1 ? "all" : "one"}
          options={[
            ["one", "this one"],
            ["all", `all ${sliding.length}`],
          ]}
          onChange={(which) =>
            keep({ lane: which === "all" ? sliding : sliding.includes(activeLane) ? activeLane : keys[0] })
          }
        />
      )}
    </>
  );
}

function LaneChoice({
  label,
  value,
  onChange,
}: {
  label: string;
  value: string;
  onChange: (key: string) => void;
}) {
  useDesk((state) => state.kinds);
  return (
    <List label={label} className="col-span-2" value={value} onChange={onChange}>
      {lanesThere().map(({ key, title }) => (
        <option key={key} value={key}>
          {title}
        </option>
      ))}
    </List>
  );
}

export function LaneField({ ask, stroke, keep }: FieldProps) {
  return (
    <LaneChoice
      label={ask.label}
      value={String(told(stroke, ask.name))}
      onChange={(key) => keep({ [ask.name]: key })}
    />
  );
}

interface Target {
  part?: number | null;
  lane?: string | null;
  at?: number | null;
}

/** Where a copy goes: its part and its lane where it can have another, and the bar and beat where it begins. */
export function PlaceField({ ask, stroke, change, keep }: FieldProps) {
  const span = useDesk((state) => state.span);
  const held = told(stroke, ask.name) as Target;
  const parts = stroke.where?.parts ?? [];
  const to = (fields: Target) => ({ [ask.name]: { ...held, ...fields } });
  const [lane = ""] = lanesOf(stroke);
  return (
    <>
      {ask.parts && parts.length <= 1 && (
        <PartChoice value={held.part ?? parts[0] ?? 0} onChange={(part) => keep(to({ part }))} />
      )}
      {ask.lanes && (
        <LaneChoice label="Lane" value={held.lane ?? lane} onChange={(lane) => keep(to({ lane }))} />
      )}
      <PlaceEntry
        at={held.at ?? stroke.where?.span?.[0] ?? 0}
        onTry={(at) => change(to({ at }))}
        onKeep={(at) => keep(to({ at }))}
      />
      {ask.lanes && span && (
        <button
          type="button"
          className="key col-span-2 h-7"
          title="The copy begins where the span now begins, and is stretched to its length"
          onClick={() => keep({ fit: span[1] - span[0], ...to({ at: span[0] }) })}
        >
          Fit it to the span
        </button>
      )}
    </>
  );
}

function PartChoice({ value, onChange }: { value: number; onChange: (part: number) => void }) {
  const score = useDesk((state) => state.score);
  return (
    <List label="Part" className="col-span-2" value={value} onChange={(part) => onChange(Number(part))}>
      {score?.parts.map((part) => (
        <option key={part.id} value={part.id}>
          {partName(part)}
        </option>
      ))}
    </List>
  );
}

/** A bar and a beat. What stands between beats stays there. */
function PlaceEntry({
  at,
  onTry,
  onKeep,
}: {
  at: number;
  onTry: (at: number) => void;
  onKeep: (at: number) => void;
}) {
  const score = useDesk((state) => state.score);
  if (!score) return null;
  // What comes a little early belongs to the beat that it was meant for.
  const { bar, beat } = placeOf(score, at + score.resolution / 8);
  const rest = at - tickOfPlace(score, bar, beat);
  const tick = (bar: number, beat: number) => tickOfPlace(score, Math.round(bar), Math.round(beat)) + rest;
  return (
    <>
      <NumberEntry
        label="Bar"
        value={bar}
        onTry={(typed) => onTry(tick(typed, beat))}
        onKeep={(typed) => onKeep(tick(typed, beat))}
      />
      <NumberEntry
        label="Beat"
        value={beat}
        onTry={(typed) => onTry(tick(bar, typed))}
        onKeep={(typed) => onKeep(tick(bar, typed))}
      />
    </>
  );
}
