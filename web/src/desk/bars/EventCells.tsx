/** One row of the event list: what of it can be typed over is an entry, and what is typed is a stroke. */
import { useEffect, useRef, useState } from "react";
import type { Schemas, Stroke } from "../../api/client";
import { plain } from "../../api/strokes";
import { rowOfId } from "../../score/part";
import { type PartScore, type Score, tickOfPlace } from "../../score/score";
import { rounded, signed, typedNumber } from "../../ui/numbers";
import { Seal } from "../../ui/Seal";
import { noteName, partDye, partName, rowName } from "../take/arranging";
import { apply } from "../take/shaping";
import { desk, useDesk } from "../take/state";

export type Row = Schemas["EventRow"];

/** What was typed as a stroke; in words why it cannot be one; nothing where it changes nothing. */
type Read = (typed: string) => Stroke | string | null;

interface Typed {
  /** What it is called for who cannot see it. */
  label: string;
  value: string;
  read: Read;
  className?: string;
}

/** Numbers typed here are strokes like any other. Enter keeps it and stays; what cannot be is told and goes back. */
function TypedCell({
  label,
  value,
  read,
  className,
  onProblem,
}: Typed & { onProblem: (words: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  // What was typed has become another value, or gone back: the next one is typed over it.
  // biome-ignore lint/correctness/useExhaustiveDependencies: chosen again whenever another value is shown
  useEffect(() => {
    if (typed === null && document.activeElement === input.current) input.current?.select();
  }, [typed, value]);
  const finish = () => {
    const text = typed?.trim();
    setTyped(null);
    if (text === undefined || text === value) return;
    const made = read(text);
    onProblem(typeof made === "string" ? made : "");
    if (made && typeof made !== "string") void apply(made);
  };
  return (
    <input
      ref={input}
      aria-label={label}
      value={typed ?? value}
      className={`entry h-6 ${className ?? "w-16"}`}
      onChange={(event) => setTyped(event.target.value)}
      onKeyDown={(event) => {
        if (event.key === "Enter") finish();
        if (event.key === "Escape") setTyped(null);
      }}
      onBlur={finish}
    />
  );
}

const onNote = (row: Row) => ({ parts: [row.part], notes: [[row.note, row.note]] as [number, number][] });
const onTick = (row: Row) => ({ parts: [row.part], span: [row.tick, row.tick + 1] as [number, number] });

const number = (text: string) =>
  /^-?\d+(\.\d+)?$/.test(typedNumber(text)) ? Number(typedNumber(text)) : Number.NaN;

function heightOf(row: Row): Typed {
  const isNote = row.note >= 0;
  const what = isNote ? "Velocity" : row.number || row.kind;
  const [low, high] = [Number(row.low), Number(row.high)];
  return {
    label: `${isNote ? `Velocity of ${row.number}` : `Value of ${what}`} at ${row.bar}:${row.beat}`,
    value: row.value,
    read: (typed) => {
      const value = number(typed);
      const fits = value >= low && value <= high && (!isNote || Number.isInteger(value));
      if (!fits) return `${what} must be ${signed(low)} to ${signed(high)}, not ${typed || "empty"}.`;
      if (isNote) return plain("velocity.set", { where: onNote(row), value });
      const node = { tick: row.tick, value, hold: true, lift: 0, ease: 0 };
      return { kind: "lane.nodes", lane: row.lane, where: onTick(row), nodes: [node] };
    },
  };
}

/** What an event is called where its place is told besides. */
const nameOf = (row: Row) => row.number || row.kind;

const wordsOf = (row: Row): Typed => ({
  label: `What the ${row.number} at ${row.bar}:${row.beat} says`,
  value: row.value,
  className: "w-full text-left",
  // Nothing in it takes it away, as Delete does.
  read: (words) => plain("take.text", { text: row.text, words }),
});

const STEPS = { "#": 1, b: -1, "": 0 } as const;

/** Which note is meant by a name (sharp or flat) or a number; -1 where none is. */
function keyOf(typed: string): number {
  const plain = typed.replace("♯", "#").replace("♭", "b").replace("−", "-").toLowerCase();
  if (/^\d+$/.test(plain)) return Number(plain) <= 127 ? Number(plain) : -1;
  const told = /^([a-g])([#b]?)(-?\d+)$/.exec(plain);
  if (!told) return -1;
  const natural = Array.from({ length: 128 }, (_, key) =>
    noteName(key).replace("−", "-").toLowerCase(),
  ).indexOf(`${told[1]}${told[3]}`);
  const key = natural + STEPS[told[2] as keyof typeof STEPS];
  return natural >= 0 && key >= 0 && key <= 127 ? key : -1;
}

function pitchOf(row: Row, part: PartScore): Typed {
  const key = part.pitch[rowOfId(part, row.note)]!;
  return {
    label: `Note ${row.number} at ${row.bar}:${row.beat}`,
    value: rowName(part, key),
    className: "w-24 text-left",
    read: (typed) => {
      const wanted = keyOf(typed);
      if (wanted < 0)
        return `A note is a name from ${noteName(0)} to ${noteName(127)}, or 0 to 127, not ${typed}.`;
      if (wanted === key) return null;
      return plain("notes.transpose", { where: onNote(row), keys: wanted - key });
    },
  };
}

/** What is moved to another time by so many ticks. */
function movedBy(row: Row, ticks: number): Stroke {
  if (row.note >= 0) return plain("notes.move", { where: onNote(row), under: desk().travels, ticks });
  if (row.text >= 0) return plain("take.text", { text: row.text, tick: row.tick + ticks, words: row.value });
  return plain("lane.shift", { lane: row.lane, where: onTick(row), ticks });
}

function placeOf(row: Row, score: Score): Typed {
  return {
    label: `Place of ${nameOf(row)}, in bar, beat and ticks`,
    value: `${row.bar}:${row.beat}.${String(row.rest).padStart(3, "0")}`,
    className: "w-24 text-left",
    read: (typed) => {
      const told = /^(\d+)(?:[:. ](\d+))?(?:[:. ](\d+))?$/.exec(typed);
      if (!told || Number(told[1]) < 1)
        return `A place is bar:beat.ticks, as 3:1.000, not ${typed || "empty"}.`;
      const ticks =
        tickOfPlace(score, Number(told[1]), Number(told[2] ?? 1)) + Number(told[3] ?? 0) - row.tick;
      return ticks ? movedBy(row, ticks) : null;
    },
  };
}

function lengthOf(row: Row, score: Score): Typed {
  const quarters = rounded(row.length / score.resolution);
  return {
    label: `Length of ${row.number} at ${row.bar}:${row.beat}, in quarters`,
    value: String(quarters),
    read: (typed) => {
      const to = number(typed);
      if (!(to > 0 && to <= 1024))
        return `A length is more than 0 and at most 1024 quarters, not ${typed || "empty"}.`;
      return plain("notes.length", { where: onNote(row), under: desk().travels, to });
    },
  };
}

export const HEADS = [
  ["time", "Place"],
  ["part", "Part"],
  ["kind", "Kind"],
  ["number", "Note or number"],
  ["value", "Value"],
  ["length", "Quarters"],
] as const;

function withoutRow(row: Row): Stroke {
  if (row.note >= 0) return plain("notes.delete", { where: onNote(row) });
  if (row.text >= 0) return plain("take.text", { text: row.text, words: "" });
  return { kind: "lane.nodes", lane: row.lane, where: onTick(row), nodes: [] };
}

interface CellsProps {
  row: Row;
  onChoose: () => void;
  onProblem: (problem: string) => void;
}

export function Cells({ row, onChoose, onProblem }: CellsProps) {
  const score = useDesk((state) => state.score);
  const part = score?.parts[row.part];
  const isNote = row.note >= 0 && !!part;
  const isText = row.text >= 0;
  const isValue = row.lane !== "" && !!part;
  const isOurs = isNote || isValue || isText;
  const typed = (made: Typed) => <TypedCell {...made} onProblem={onProblem} />;
  return (
    <>
      <Cell head={0}>
        <button
          type="button"
          className="min-h-6 min-w-6 text-left hover:text-accent-deep"
          // What shows its place is called by that; a ring says nothing by itself.
          aria-label={isOurs ? `Show ${nameOf(row)} at ${row.bar}:${row.beat}` : undefined}
          onClick={onChoose}
        >
          {isOurs && score ? (
            <svg viewBox="0 0 10 10" className="h-3 w-3" aria-hidden>
              <circle cx="5" cy="5" r="3.2" fill="none" stroke="currentColor" strokeWidth="1.4" />
            </svg>
          ) : (
            <>
              {row.bar}:{row.beat}
              <span className="text-faded">.{String(row.rest).padStart(3, "0")}</span>
            </>
          )}
        </button>
        {isOurs && score && typed(placeOf(row, score))}
      </Cell>
      <Cell head={1}>
        {part ? (
          <>
            <Seal dye={partDye(part)} seal={part.seal} /> <span className="truncate">{partName(part)}</span>
          </>
        ) : (
          <span className="text-faded">the take</span>
        )}
      </Cell>
      <Cell head={2}>{row.kind}</Cell>
      <Cell head={3}>{isNote ? typed(pitchOf(row, part)) : row.number}</Cell>
      <Cell head={4}>
        {isNote || isValue ? typed(heightOf(row)) : isText ? typed(wordsOf(row)) : row.value}
      </Cell>
      <Cell head={5}>
        {isNote && score ? typed(lengthOf(row, score)) : ""}
        {isOurs && (
          <Delete
            label={`Delete ${nameOf(row)} at ${row.bar}:${row.beat}`}
            onClick={() => void apply(withoutRow(row))}
          />
        )}
      </Cell>
    </>
  );
}

function Delete({ label, onClick }: { label: string; onClick: () => void }) {
  return (
    <button
      type="button"
      className="ml-auto grid h-6 w-6 place-items-center rounded text-faded hover:bg-paper hover:text-ink"
      aria-label={label}
      title="Delete"
      onClick={onClick}
    >
      <svg viewBox="0 0 10 10" className="h-3 w-3" aria-hidden>
        <path d="M2 2l6 6M8 2l-6 6" stroke="currentColor" strokeWidth="1.4" />
      </svg>
    </button>
  );
}

function Cell({ children, head }: { children: React.ReactNode; head: number }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: see the table
    <div role="cell" aria-colindex={head + 1} className="flex min-w-0 items-center gap-1.5 truncate">
      {children}
    </div>
  );
}

/** A value for the lane that Shape acts on, at the playhead: typed over in its row afterwards. */
export function valueAt(tick: number): Stroke | null {
  const { activeLane, kinds, fronts } = desk();
  const kind = kinds.get(activeLane);
  if (!kind || activeLane === "velocity" || activeLane.startsWith("note:")) return null;
  const node = { tick, value: kind.default ?? 0, hold: true, lift: 0, ease: 0 };
  const where = { parts: fronts.slice(0, 1), span: [tick, tick + 1] as [number, number] };
  return { kind: "lane.nodes", lane: activeLane, where, nodes: [node] };
}
