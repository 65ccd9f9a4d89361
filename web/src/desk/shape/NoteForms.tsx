/** What the open stroke on notes asks beyond its numbers: a note by itself, a scale, which of several numbers it is. */
import type { Stroke } from "../../api/client";
import { placeOf, tickOfPlace } from "../../score/score";
import { Choice } from "../../ui/Choice";
import { List } from "../../ui/Entries";
import { NameEntry } from "../../ui/NameEntry";
import { NumberEntry } from "../../ui/NumberEntry";
import { rounded } from "../../ui/numbers";
import { placing } from "../strokes/beginNotes";
import { rowName } from "../take/arranging";
import { leadPart, useDesk } from "../take/state";
import type { FormProps } from "./LaneForms";

type Form<K extends Stroke["kind"]> = FormProps & { stroke: Extract<Stroke, { kind: K }> };

export function NoteForms(form: FormProps) {
  const { stroke } = form;
  switch (stroke.kind) {
    case "notes.add":
      return stroke.notes.length === 1 ? <OneNote {...form} stroke={stroke} /> : null;
    case "notes.move":
    case "notes.transpose":
      return <WithinScale stroke={stroke} keep={form.keep} />;
    case "notes.length":
      return <Measure {...form} stroke={stroke} />;
    case "notes.split":
      return <Cut {...form} stroke={stroke} />;
    case "notes.place":
      return <Lines label="Lines of" grid={stroke.grid ?? 16} onGrid={(grid) => form.keep({ grid })} />;
    case "notes.fill":
      return <Through {...form} stroke={stroke} />;
    case "notes.cue":
      return <Called {...form} stroke={stroke} />;
    default:
      return null;
  }
}

/** What the keys of cues call up; and all notes of a range of keys in place of those that were chosen. */
function Called({ stroke, change, keep }: Form<"notes.cue">) {
  const pitches = stroke.where?.pitches;
  const [low, high] = pitches?.length ? [Math.min(...pitches), Math.max(...pitches)] : [null, null];
  const ranged = (from: number | null, to: number | null) => {
    const [first, last] = [from ?? to ?? 0, to ?? from ?? 0].sort((a, b) => a - b);
    const range = Array.from({ length: last - first + 1 }, (_, at) => first + at);
    return { where: { parts: stroke.where?.parts, pitches: range } };
  };
  const chosen = { shown: "chosen", onTry: () => undefined, onKeep: () => undefined };
  return (
    <>
      <NumberEntry
        label="From key"
        value={low}
        limits={[0, 127]}
        absent={chosen}
        onTry={(from) => change(ranged(from, high))}
        onKeep={(from) => keep(ranged(from, high))}
      />
      <NumberEntry
        label="To key"
        value={high}
        limits={[0, 127]}
        absent={chosen}
        onTry={(to) => change(ranged(low, to))}
        onKeep={(to) => keep(ranged(low, to))}
      />
      <div className="col-span-2 flex items-center gap-2">
        <span className="text-faded">Calls up</span>
        <NameEntry
          label="What the keys call up"
          name={stroke.name ?? ""}
          maxLength={120}
          className="flex-1"
          onDone={(name) => keep({ name })}
        />
      </div>
    </>
  );
}

/** A note by its place, its length, its pitch and its force. */
function OneNote({ stroke, change, keep }: Form<"notes.add">) {
  const score = useDesk((state) => state.score);
  const part = useDesk((state) => leadPart(state));
  if (!score || !part) return null;
  const [note] = stroke.notes;
  const { bar, beat, rest } = placeOf(score, note.start);
  const made = (fields: object) => ({ notes: [{ ...note, ...fields }] });
  const at = (toBar: number, toBeat: number) =>
    made({ start: Math.max(tickOfPlace(score, Math.max(toBar, 1), toBeat) + rest, 0) });
  const entries = [
    { label: "Bar", value: bar, fields: (value: number) => at(value, beat) },
    { label: "Beat", value: beat, fields: (value: number) => at(bar, value) },
    {
      label: "Beats",
      value: rounded(note.length / score.resolution, 3),
      step: 0.125,
      fields: (value: number) => made({ length: Math.max(Math.round(value * score.resolution), 1) }),
    },
    {
      label: `Key ${rowName(part, note.pitch)}`,
      value: note.pitch,
      fields: (pitch: number) => made({ pitch }),
    },
    { label: "Velocity", value: note.velocity, fields: (velocity: number) => made({ velocity }) },
  ];
  return entries.map(({ label, value, step, fields }) => (
    <NumberEntry
      key={label.split(" ")[0]}
      label={label}
      value={value}
      step={step ?? 1}
      onTry={(tried) => change(fields(tried))}
      onKeep={(kept) => keep(fields(kept))}
    />
  ));
}

const ROOTS = ["C", "C♯", "D", "E♭", "E", "F", "F♯", "G", "A♭", "A", "B♭", "B"];

/** A scale of pitch classes by its root and its name; and which one some pitch classes are. */
function ScaleChoice({
  label,
  scale,
  none,
  onScale,
}: {
  label: string;
  scale: readonly number[] | null | undefined;
  none?: string;
  onScale: (scale: number[] | null) => void;
}) {
  const scales = useDesk((state) => state.scales);
  const reaching = useDesk((state) => state.reaching);
  const classes = (root: number, steps: readonly number[]) =>
    steps.map((step) => (root + step) % 12).sort((a, b) => a - b);
  const same = (one: readonly number[]) =>
    scale?.length === one.length && one.every((step) => scale.includes(step));
  // Of scales that hold the same notes the one that was asked for last is meant.
  const roots = [reaching.root, ...ROOTS.keys()];
  const known = roots
    .flatMap((root) => scales.map(({ key, steps }) => ({ root, key, steps })))
    .find(({ root, steps }) => same(classes(root, steps)));
  const root = known?.root ?? reaching.root;
  return (
    <>
      <List
        label={label}
        value={scale ? (known?.key ?? "") : "none"}
        className="col-span-2"
        onChange={(key) => {
          const steps = scales.find((one) => one.key === key)?.steps;
          onScale(steps ? classes(root, steps) : null);
        }}
      >
        {none && <option value="none">{none}</option>}
        {scales.map(({ key, name }) => (
          <option key={key} value={key}>
            {name}
          </option>
        ))}
      </List>
      {scale && known && (
        <List
          label="From"
          called="Root of the scale"
          value={root}
          className="col-span-2"
          onChange={(value) => onScale(classes(Number(value), known.steps))}
        >
          {ROOTS.map((name, at) => (
            <option key={name} value={at}>
              {name}
            </option>
          ))}
        </List>
      )}
    </>
  );
}

function WithinScale({
  stroke,
  keep,
}: Pick<FormProps, "keep"> & { stroke: { scale?: readonly number[] | null } }) {
  return (
    <ScaleChoice label="Steps of" scale={stroke.scale} none="all keys" onScale={(scale) => keep({ scale })} />
  );
}

const NO_LENGTH = { to: null, by: null, factor: null, gap_ms: null };
const LENGTHS = [
  ["to", "set", 0.5],
  ["by", "added", 0.25],
  ["factor", "scaled", 0.5],
  ["gap_ms", "to the next", 0],
] as const;

/** Which number it is that says the length; a gap before the next moves the end alone. */
function Measure({ stroke, keep }: Form<"notes.length">) {
  const known = LENGTHS.find(([field]) => stroke[field] != null)?.[0] ?? "factor";
  return (
    <>
      <List
        label="Lengths are"
        value={known}
        className="col-span-2"
        onChange={(field) => {
          const value = LENGTHS.find(([name]) => name === field)?.[2] ?? 1;
          keep({ ...NO_LENGTH, [field]: value, ...(field === "gap_ms" ? { edge: "end" } : {}) });
        }}
      >
        {LENGTHS.map(([field, words]) => (
          <option key={field} value={field}>
            {words}
          </option>
        ))}
      </List>
      {known !== "gap_ms" && (
        <Choice
          label="Moves"
          className="col-span-2"
          value={stroke.edge ?? "end"}
          options={[
            ["end", "the end"],
            ["start", "the beginning"],
          ]}
          onChange={(edge) => keep({ edge })}
        />
      )}
    </>
  );
}

const GRIDS = [1, 2, 4, 6, 8, 12, 16, 24, 32, 48, 64] as const;

function Lines({ label, grid, onGrid }: { label: string; grid: number; onGrid: (grid: number) => void }) {
  return (
    <List label={label} className="col-span-2" value={grid} onChange={(value) => onGrid(Number(value))}>
      {GRIDS.map((one) => (
        <option key={one} value={one}>
          {one % 3 ? `1/${one}` : `1/${(one * 2) / 3} triplet`}
        </option>
      ))}
    </List>
  );
}

function Cut({ stroke, keep }: Form<"notes.split">) {
  const how = stroke.at != null ? "at" : stroke.into != null ? "into" : "grid";
  if (how === "at") return null;
  return (
    <>
      <Choice
        label="Cut"
        className="col-span-2"
        value={how}
        options={[
          ["into", "evenly"],
          ["grid", "at the grid"],
        ]}
        onChange={(way) => keep(way === "into" ? { into: 2, grid: null } : { into: null, grid: placing() })}
      />
      {stroke.grid != null && <Lines label="Lines of" grid={stroke.grid} onGrid={(grid) => keep({ grid })} />}
    </>
  );
}

/** Which keys a run goes through. */
function Through({ stroke, keep }: Form<"notes.fill">) {
  const major = useDesk((state) => state.scales[0]?.steps);
  const played = useDesk((state) => leadPart(state)?.pitch);
  return (
    <>
      <List
        label="Through"
        value={stroke.by ?? "semitone"}
        className="col-span-2"
        onChange={(by) =>
          keep({
            by,
            scale: by === "scale" ? [...(major ?? [])] : null,
            named: by === "named" ? [...new Set(played)] : [],
          })
        }
      >
        <option value="semitone">every key</option>
        <option value="white">white keys</option>
        <option value="scale">a scale</option>
        <option value="named">keys of the part</option>
      </List>
      {stroke.by === "scale" && (
        <ScaleChoice label="Scale" scale={stroke.scale} onScale={(scale) => scale && keep({ scale })} />
      )}
    </>
  );
}
