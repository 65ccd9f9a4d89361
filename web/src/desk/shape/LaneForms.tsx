/** What the open stroke asks beyond its numbers: on which lanes and parts it acts, and where copies go. */
import type { Stroke } from "../../api/client";
import { lanesOf, slides } from "../../score/lanes";
import { placeOf, tickOfPlace } from "../../score/score";
import { Choice } from "../../ui/Choice";
import { Check, List } from "../../ui/Entries";
import { NumberEntry } from "../../ui/NumberEntry";
import { count } from "../../ui/words";
import { partName } from "../take/arranging";
import { lanesThere, leadPart, useDesk } from "../take/state";

export interface FormProps {
  stroke: Stroke;
  /** Try other numbers; or try and keep them, where the stroke is kept already. */
  change: (fields: object) => void;
  keep: (fields: object) => void;
  problem: string | null;
}

const MANY_LANES = ["lane.reshape", "lane.smooth", "lane.distil", "lane.unplayed", "lane.clear"];

/** On how many parts and lanes a stroke acts alike: the leading part or all in front, this lane or all that slide. */
export function Extent({ stroke, keep }: FormProps) {
  const fronts = useDesk((state) => state.fronts);
  const part = useDesk((state) => leadPart(state));
  const activeLane = useDesk((state) => state.activeLane);
  const parts = stroke.where?.parts ?? [];
  const sliding = (part?.lanes ?? []).filter(({ form }) => slides(form)).map(({ key }) => key);
  const keys = lanesOf(stroke);
  return (
    <>
      {fronts.length > 1 && stroke.kind !== "lane.copy" && (
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
      {MANY_LANES.includes(stroke.kind) && sliding.length > 1 && (
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

/** What distilling saves, and how far it strays at most. */
export function Saving() {
  const saving = useDesk((state) => state.shaping?.found?.saving);
  if (!saving) return null;
  if (!saving.before)
    return (
      <p data-testid="saving" className="col-span-2 text-[13px]">
        Within this tolerance there is nothing to save.
      </p>
    );
  return (
    <p data-testid="saving" className="col-span-2 text-[13px]">
      {count(saving.before, "node")} become {saving.after.toLocaleString("en-GB")},{" "}
      {count(saving.sent_before, "message")} {saving.sent_after.toLocaleString("en-GB")}; at most{" "}
      {saving.error} off.
    </p>
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

export function MovePlace({ stroke, keep }: FormProps & { stroke: Extract<Stroke, { kind: "lane.move" }> }) {
  return (
    <>
      <LaneChoice label="Becomes" value={stroke.to} onChange={(to) => keep({ to })} />
      <div className="col-span-2">
        <Check words="The original stays" on={stroke.keep ?? false} onChange={(on) => keep({ keep: on })} />
      </div>
    </>
  );
}

/** Where a copy goes: its part, its lane, and the bar and beat where it begins. */
export function CopyPlace({
  stroke,
  change,
  keep,
}: FormProps & { stroke: Extract<Stroke, { kind: "lane.copy" }> }) {
  const span = useDesk((state) => state.span);
  const to = (fields: object) => ({ to: { ...stroke.to, ...fields } });
  return (
    <>
      <PartChoice
        value={stroke.to.part ?? stroke.where?.parts?.[0] ?? 0}
        onChange={(part) => keep(to({ part }))}
      />
      <LaneChoice
        label="Lane"
        value={stroke.to.lane ?? (stroke.lane as string)}
        onChange={(lane) => keep(to({ lane }))}
      />
      <PlaceEntry
        at={stroke.to.at ?? stroke.where?.span?.[0] ?? 0}
        onTry={(at) => change(to({ at }))}
        onKeep={(at) => keep(to({ at }))}
      />
      {span && (
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

/** Where copied notes go, and whether what lies under them comes along. */
export function NotesCopyPlace({
  stroke,
  change,
  keep,
}: FormProps & { stroke: Extract<Stroke, { kind: "notes.copy" }> }) {
  const to = (fields: object) => ({ to: { ...stroke.to, ...fields } });
  const parts = stroke.where?.parts ?? [];
  return (
    <>
      {parts.length === 1 && (
        <PartChoice value={stroke.to.part ?? parts[0]} onChange={(part) => keep(to({ part }))} />
      )}
      <PlaceEntry at={stroke.to.at} onTry={(at) => change(to({ at }))} onKeep={(at) => keep(to({ at }))} />
      <div className="col-span-2">
        <Check
          words="What lies under them comes along"
          on={stroke.under ?? false}
          onChange={(on) => keep({ under: on })}
        />
      </div>
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
