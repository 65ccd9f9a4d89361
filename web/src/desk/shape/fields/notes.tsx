/** Fields of notes themselves: a note by its numbers, keys, scales, the node of a lane. */
import type { Of } from "../../../api/strokes";
import { placeOf, tickOfPlace } from "../../../score/score";
import { Choice } from "../../../ui/Choice";
import { List } from "../../../ui/Entries";
import { NumberEntry } from "../../../ui/NumberEntry";
import { rounded } from "../../../ui/numbers";
import { rowName } from "../../take/arranging";
import { leadPart, useDesk } from "../../take/state";
import { type FieldProps, told } from "./form";

/** All notes of a range of keys in place of those that were chosen. */
export function PitchesField({ stroke, change, keep }: FieldProps) {
  const pitches = stroke.where?.pitches;
  const [low, high] = pitches?.length ? [Math.min(...pitches), Math.max(...pitches)] : [null, null];
  const ranged = (from: number | null, to: number | null) => {
    const [first = 0, last = 0] = [from ?? to ?? 0, to ?? from ?? 0].sort((a, b) => a - b);
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
    </>
  );
}

/** The value of a node, where the stroke is about one alone. */
export function NodeField({ ask, stroke, change, keep }: FieldProps) {
  const nodes = told(stroke, ask.name) as { value: number; hold?: boolean }[];
  if (nodes.length !== 1) return null;
  const node = nodes[0]!;
  const made = (fields: object) => ({ [ask.name]: [{ ...node, ...fields }] });
  return (
    <>
      <NumberEntry
        label={ask.label}
        value={node.value}
        onTry={(value) => change(made({ value }))}
        onKeep={(value) => keep(made({ value }))}
      />
      <Choice
        label="From here on it"
        className="col-span-2"
        value={(node.hold ?? true) ? "holds" : "slides"}
        options={[
          ["slides", "slides"],
          ["holds", "holds"],
        ]}
        onChange={(way) => keep(made({ hold: way === "holds" }))}
      />
    </>
  );
}

/** A note by its place, its length, its pitch and its force. */
export function NoteField({ ask, stroke, change, keep }: FieldProps) {
  const score = useDesk((state) => state.score);
  const part = useDesk((state) => leadPart(state));
  const notes = told(stroke, ask.name) as Of<"notes.add">["notes"];
  if (!score || !part || notes.length !== 1) return null;
  const note = notes[0]!;
  const { bar, beat, rest } = placeOf(score, note.start);
  const made = (fields: object) => ({ [ask.name]: [{ ...note, ...fields }] });
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

export function ScaleField({ ask, stroke, keep }: FieldProps) {
  const scale = told(stroke, ask.name) as readonly number[] | null | undefined;
  return (
    <ScaleChoice
      label={ask.label}
      scale={scale}
      none={ask.absent}
      onScale={(made) => keep({ [ask.name]: made })}
    />
  );
}

/** Which keys a run goes through. */
export function ThroughField({ ask, stroke, keep }: FieldProps) {
  const { by, scale } = stroke as Of<"notes.fill">;
  const major = useDesk((state) => state.scales[0]?.steps);
  const played = useDesk((state) => leadPart(state)?.pitch);
  return (
    <>
      <List
        label={ask.label}
        value={by ?? "semitone"}
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
      {by === "scale" && (
        <ScaleChoice label="Scale" scale={scale} onScale={(scale) => scale && keep({ scale })} />
      )}
    </>
  );
}
