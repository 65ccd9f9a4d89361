import {
  type ColumnDef,
  rowSortingFeature,
  type SortingState,
  tableFeatures,
  useTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { plain } from "../../api/strokes";
import { rowOfId } from "../../score/part";
import { idOfRow, tickAt } from "../../score/score";
import { player } from "../../sound/player";
import { showing } from "../page/camera";
import { beginNote } from "../strokes/beginNotes";
import { partName, toFront } from "../take/arranging";
import { chooseIn } from "../take/choosing";
import { apply } from "../take/shaping";
import { desk, frontParts, look, set, useDesk } from "../take/state";
import { Cells, HEADS, type Row, valueAt } from "./EventCells";
import { type Order, useEvents } from "./events";

const ROW_PIXELS = 26;
const COLUMNS = "grid grid-cols-[9rem_11rem_7rem_10rem_6rem_1fr] gap-2";
const FEATURES = tableFeatures({ rowSortingFeature });
const TABLE_COLUMNS: ColumnDef<typeof FEATURES, Row>[] = HEADS.map(([id, header]) => ({ id, header }));
const IN_TIME: SortingState = [{ id: "time", desc: false }];
const NO_ROWS: Row[] = [];
const KINDS = [
  "note",
  "controller",
  "bend",
  "pressure",
  "key pressure",
  "program",
  "exclusive",
  "text",
  "tempo",
  "metre",
  "key",
  "other",
];

/** Rows lie on the server, in the order that is asked for there: the table here knows their columns alone. */
function useHeads() {
  const [sorting, setSorting] = useState(IN_TIME);
  const table = useTable({
    features: FEATURES,
    data: NO_ROWS,
    columns: TABLE_COLUMNS,
    state: { sorting },
    onSortingChange: setSorting,
    manualSorting: true,
    enableSortingRemoval: false,
    sortDescFirst: false,
  });
  const { id: order, desc: falling } = (sorting[0] ?? IN_TIME[0]) as { id: Order; desc: boolean };
  return { heads: table.getFlatHeaders(), order, falling };
}

type Head = ReturnType<typeof useHeads>["heads"][number];

/** Everything in the take as a table. Only what is in sight is fetched and built, however long the take is. */
export function EventList() {
  const [kind, setKind] = useState("");
  const [part, setPart] = useState("");
  const { heads, order, falling } = useHeads();
  const box = useRef<HTMLDivElement>(null);
  const { total, problem, setProblem, rowAt, show, around } = useEvents({ kind, part, order, falling });
  const virtual = useVirtualizer({
    count: total ?? 0,
    getScrollElement: () => box.current,
    estimateSize: () => ROW_PIXELS,
    overscan: 1,
  });
  const shown = virtual.getVirtualItems();
  show(shown[0]?.index ?? 0, shown.at(-1)?.index ?? 0);

  const choose = useFollowing(around, (at) => virtual.scrollToIndex(Math.max(at - 2, 0), { align: "start" }));
  return (
    <section aria-label="Events" className="flex h-56 shrink-0 flex-col border-t border-rule-strong bg-sheet">
      <Filters {...{ kind, setKind, part, setPart, total, problem, setProblem }} />
      {/* biome-ignore lint/a11y/useSemanticElements: rows of a virtual table are placed, not laid out */}
      <div
        role="table"
        aria-label="Events"
        aria-rowcount={(total ?? 0) + 1}
        className="flex min-h-0 flex-1 flex-col"
      >
        <Heads heads={heads} />
        {/* biome-ignore lint/a11y/useSemanticElements: see above */}
        <div
          ref={box}
          role="rowgroup"
          className="min-h-0 flex-1 overflow-y-auto"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls is reached by key
          tabIndex={0}
        >
          <div role="presentation" className="relative" style={{ height: virtual.getTotalSize() }}>
            {shown.map(({ index, start }) => (
              <EventRow
                key={index}
                at={index}
                top={start}
                row={rowAt(index)}
                onChoose={choose}
                onProblem={setProblem}
              />
            ))}
          </div>
        </div>
      </div>
    </section>
  );
}

/** The list goes to what is chosen on the page, unless it was chosen here. Gives how a row is chosen here. */
function useFollowing(around: (note: number) => Promise<number | null>, goTo: (at: number) => void) {
  const chosen = useDesk((state) => state.chosen);
  const chosenHere = useRef(-1);
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a new choice moves the list
  useEffect(() => {
    const first = firstChosen();
    if (first === null || first === chosenHere.current) return;
    void around(first).then((at) => at !== null && goTo(at));
  }, [chosen]);
  return (row: Row) => {
    if (row.note >= 0) chosenHere.current = row.note;
    chooseRow(row);
  };
}

interface FiltersProps {
  kind: string;
  setKind: (kind: string) => void;
  part: string;
  setPart: (part: string) => void;
  total: number | null;
  problem: string;
  setProblem: (problem: string) => void;
}

/** Which events are listed, how many there are, and what is put in. */
function Filters({ kind, setKind, part, setPart, total, problem, setProblem }: FiltersProps) {
  const score = useDesk((state) => state.score);
  const chosenCount = useDesk((state) => state.chosenCount);
  const here = () => Math.round(tickAt(score!, player.position()));
  const putText = () => {
    if (score) void apply(plain("take.text", { tick: here(), words: "Marker" }));
  };
  const putValue = () => {
    if (!score) return;
    const made = valueAt(here());
    setProblem(made ? "" : "A value goes on a lane: choose one in the panel first.");
    if (made) void apply(made);
  };
  return (
    <div className="flex items-center gap-3 border-b border-rule px-3 py-1">
      <h2 className="font-semibold">Events</h2>
      <Choice label="Kind of event" value={kind} onChange={setKind} className="w-36">
        <option value="">all kinds</option>
        {KINDS.map((one) => (
          <option key={one}>{one}</option>
        ))}
      </Choice>
      <Choice label="Part of the events" value={part} onChange={setPart} className="w-40">
        <option value="">all parts</option>
        {score?.parts.map((one) => (
          <option key={one.id} value={one.id}>
            {partName(one)}
          </option>
        ))}
      </Choice>
      <span className={problem ? "text-accent-deep" : "text-faded"} role="status" data-testid="event-count">
        {problem || (total === null ? "" : `${total.toLocaleString("en-GB")} rows`)}
        {chosenCount > 0 && `, ${chosenCount.toLocaleString("en-GB")} notes chosen`}
      </span>
      <button type="button" className="key ml-auto h-6 px-2 text-[13px]" onClick={() => beginNote()}>
        Put in a note
      </button>
      <button type="button" className="key h-6 px-2 text-[13px]" onClick={putValue}>
        Put in a value
      </button>
      <button type="button" className="key h-6 px-2 text-[13px]" onClick={putText}>
        Put in a text
      </button>
      <button
        type="button"
        className="min-h-6 text-faded hover:text-ink"
        onClick={() => set({ listOpen: false })}
      >
        Close
      </button>
    </div>
  );
}

interface ChoiceProps {
  label: string;
  value: string;
  onChange: (value: string) => void;
  className: string;
  children: ReactNode;
}

function Choice({ label, value, onChange, className, children }: ChoiceProps) {
  return (
    <select
      aria-label={label}
      value={value}
      onChange={(event) => onChange(event.target.value)}
      className={`entry h-6 text-left ${className}`}
    >
      {children}
    </select>
  );
}

function Heads({ heads }: { heads: Head[] }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: see above
    // biome-ignore lint/a11y/useFocusableInteractive: its cells hold buttons
    <div
      role="row"
      aria-rowindex={1}
      className={`${COLUMNS} border-b border-rule px-3 text-[12px] text-faded`}
    >
      {heads.map(({ id, index, column }) => {
        const sorted = column.getIsSorted();
        return (
          // biome-ignore lint/a11y/useSemanticElements: see above
          // biome-ignore lint/a11y/useFocusableInteractive: it holds a button
          <div
            key={id}
            role="columnheader"
            aria-colindex={index + 1}
            aria-sort={sorted ? (sorted === "desc" ? "descending" : "ascending") : "none"}
          >
            <button
              type="button"
              className="flex min-h-6 items-center gap-1 hover:text-ink"
              onClick={() => column.toggleSorting(sorted === "asc")}
            >
              {String(column.columnDef.header)}
              {sorted && (
                <svg
                  viewBox="0 0 8 8"
                  className={`h-2 w-2 ${sorted === "desc" ? "" : "rotate-180"}`}
                  aria-hidden
                >
                  <path d="M1 2.5l3 3 3-3" fill="none" stroke="currentColor" strokeWidth="1.4" />
                </svg>
              )}
            </button>
          </div>
        );
      })}
    </div>
  );
}

interface EventRowProps {
  at: number;
  top: number;
  row: Row | undefined;
  onChoose: (row: Row) => void;
  onProblem: (problem: string) => void;
}

function EventRow({ at, top, row, onChoose, onProblem }: EventRowProps) {
  const isChosen = useDesk(({ score, chosen }) => {
    const owner = row && score?.parts[row.part];
    return !!owner && row.note >= 0 && chosen[row.part]?.[rowOfId(owner, row.note)] === 1;
  });
  return (
    // biome-ignore lint/a11y/useSemanticElements: see above
    // biome-ignore lint/a11y/useFocusableInteractive: its first cell is a button
    <div
      role="row"
      aria-rowindex={at + 2}
      aria-selected={isChosen}
      style={{ top, height: ROW_PIXELS }}
      className={`absolute inset-x-0 ${COLUMNS} items-center border-b border-rule/60 px-3 ${
        isChosen ? "bg-accent-wash" : ""
      }`}
    >
      {row && <Cells row={row} onChoose={() => onChoose(row)} onProblem={onProblem} />}
    </div>
  );
}

/** The page goes to where an event is; a note is chosen with it. */
function chooseRow(row: Row): void {
  const owner = desk().score?.parts[row.part];
  if (row.note < 0 || !owner) {
    look((camera, whole) =>
      whole ? { ...camera, left: Math.max(row.tick - 50 / camera.perTick, 0) } : camera,
    );
    return;
  }
  if (!desk().fronts.includes(row.part)) toFront(row.part);
  const mask = new Uint8Array(owner.start.length);
  mask[rowOfId(owner, row.note)] = 1;
  chooseIn(owner, mask);
  look((camera, whole) => {
    const wide = (camera.width - 120) / camera.perTick;
    const seen = row.tick >= camera.left && row.tick < camera.left + wide;
    return seen ? camera : showing(camera, whole, row.tick - wide / 4, row.tick + (wide * 3) / 4);
  });
}

function firstChosen(): number | null {
  const { chosen } = desk();
  let first: number | null = null;
  for (const part of frontParts()) {
    const at = chosen[part.id]!.indexOf(1);
    if (at >= 0 && (first === null || idOfRow(part, at) < first)) first = idOfRow(part, at);
  }
  return first;
}
