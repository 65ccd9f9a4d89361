import { type UIEvent, useCallback, useEffect, useRef, useState } from "react";
import { api, type Schemas, type Stroke, sentence } from "../../api/client";
import { idOfRow, rowOfId } from "../../score/score";
import { signed, typedNumber } from "../../ui/numbers";
import { Seal } from "../../ui/Seal";
import { showing } from "../page/camera";
import { partDye, partName, rowName, toFront } from "../take/arranging";
import { chooseIn } from "../take/choosing";
import { read } from "../take/reading";
import { apply } from "../take/shaping";
import { desk, frontParts, look, set, takePath, useDesk } from "../take/state";

type Row = Schemas["EventRow"];
type Page = Schemas["EventPage"];

const ROW_PIXELS = 24;
const PAGE_ROWS = 100;
const HEADS = ["Place", "Part", "Kind", "Note or number", "Value", "Length"];
const COLUMNS = "grid grid-cols-[7rem_12rem_7rem_11rem_7rem_1fr] gap-2";
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

/** Everything in the take as a table. Only what is in sight is fetched and built, however long the take is. */
export function EventList() {
  const revision = useDesk((state) => state.history.revision);
  const score = useDesk((state) => state.score);
  const chosen = useDesk((state) => state.chosen);
  const chosenCount = useDesk((state) => state.chosenCount);
  const [kind, setKind] = useState("");
  const [part, setPart] = useState("");
  const [total, setTotal] = useState<number | null>(null);
  const [problem, setProblem] = useState("");
  const [top, setTop] = useState(0);
  const [height, setHeight] = useState(200);
  const [pages, setPages] = useState<ReadonlyMap<number, Row[]>>(new Map());
  const box = useRef<HTMLDivElement>(null);
  const filter = `${revision} ${kind} ${part}`;
  const current = useRef(filter);
  current.current = filter;

  const fetchPage = useCallback(
    async (first: number, note?: number): Promise<Page | null> => {
      const query = {
        first,
        count: PAGE_ROWS,
        ...(kind ? { kinds: kind } : {}),
        ...(part ? { parts: part } : {}),
        ...(note === undefined ? {} : { note }),
      };
      try {
        return await read<Page>(["events", query], () =>
          api.GET("/api/takes/{take_id}/events", { params: { path: takePath(), query } }),
        );
      } catch (thrown) {
        setProblem(sentence(thrown));
        return null;
      }
    },
    [kind, part],
  );

  // biome-ignore lint/correctness/useExhaustiveDependencies: other kinds or parts mean other rows
  useEffect(() => {
    setPages(new Map());
    setTotal(null);
    setProblem("");
  }, [kind, part]);

  // What stood there before a stroke stands until its rows have come, so that nothing is lost that is being typed in.
  useEffect(() => {
    const from = Math.floor(top / ROW_PIXELS / PAGE_ROWS);
    const to = Math.floor((top + height) / ROW_PIXELS / PAGE_ROWS);
    for (let page = from; page <= to; page++) {
      if (total !== null && page * PAGE_ROWS >= Math.max(total, 1)) continue;
      void fetchPage(page * PAGE_ROWS).then((answer) => {
        if (!answer || current.current !== filter) return;
        setTotal(answer.total);
        setPages((all) => (all.get(page) === answer.rows ? all : new Map(all).set(page, answer.rows)));
      });
    }
  }, [top, height, filter, total, fetchPage]);

  useEffect(() => {
    const element = box.current;
    if (!element) return;
    const sizes = new ResizeObserver(() => setHeight(element.clientHeight));
    sizes.observe(element);
    return () => sizes.disconnect();
  }, []);

  // The list goes to what is chosen on the page, unless it was chosen here.
  const chosenHere = useRef(-1);
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a new choice moves the list
  useEffect(() => {
    const first = firstChosen();
    if (first === null || first === chosenHere.current) return;
    void fetchPage(0, first).then((answer) => {
      const at = answer?.rows.findIndex((row) => row.note === first) ?? -1;
      if (answer && at >= 0) box.current?.scrollTo({ top: (answer.first + at - 2) * ROW_PIXELS });
    });
  }, [chosen]);

  const choose = (row: Row) => {
    const owner = score?.parts[row.part];
    if (row.note < 0 || !owner) {
      look((camera, whole) =>
        whole ? { ...camera, left: Math.max(row.tick - 50 / camera.perTick, 0) } : camera,
      );
      return;
    }
    if (!desk().fronts.includes(row.part)) toFront(row.part);
    chosenHere.current = row.note;
    const mask = new Uint8Array(owner.start.length);
    mask[rowOfId(owner, row.note)] = 1;
    chooseIn(owner, mask);
    look((camera, whole) => {
      const seen = row.tick >= camera.left && row.tick < camera.left + (camera.width - 120) / camera.perTick;
      const wide = (camera.width - 120) / camera.perTick;
      return seen ? camera : showing(camera, whole, row.tick - wide / 4, row.tick + (wide * 3) / 4);
    });
  };

  const firstRow = Math.floor(top / ROW_PIXELS);
  const shownRows = Math.ceil(height / ROW_PIXELS) + 1;
  const rows = Array.from(
    { length: Math.max(Math.min(shownRows, (total ?? 0) - firstRow), 0) },
    (_, index) => {
      const at = firstRow + index;
      return { at, row: pages.get(Math.floor(at / PAGE_ROWS))?.[at % PAGE_ROWS] };
    },
  );
  const isChosen = (row: Row) => {
    const owner = score?.parts[row.part];
    return row.note >= 0 && !!owner && chosen[row.part]?.[rowOfId(owner, row.note)] === 1;
  };
  return (
    <section aria-label="Events" className="flex h-56 shrink-0 flex-col border-t border-rule-strong bg-sheet">
      <div className="flex items-center gap-3 border-b border-rule px-3 py-1">
        <h2 className="font-semibold">Events</h2>
        <select
          aria-label="Kind of event"
          value={kind}
          onChange={(event) => setKind(event.target.value)}
          className="entry h-6 w-36 text-left"
        >
          <option value="">all kinds</option>
          {KINDS.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
        <select
          aria-label="Part of the events"
          value={part}
          onChange={(event) => setPart(event.target.value)}
          className="entry h-6 w-40 text-left"
        >
          <option value="">all parts</option>
          {score?.parts.map((one) => (
            <option key={one.id} value={one.id}>
              {partName(one)}
            </option>
          ))}
        </select>
        <span className={problem ? "text-accent-deep" : "text-faded"} role="status" data-testid="event-count">
          {problem || (total === null ? "" : `${total.toLocaleString("en-GB")} rows`)}
          {chosenCount > 0 && `, ${chosenCount.toLocaleString("en-GB")} notes chosen`}
        </span>
        <button
          type="button"
          className="ml-auto text-faded hover:text-ink"
          onClick={() => set({ listOpen: false })}
        >
          Close
        </button>
      </div>
      <div aria-hidden className={`${COLUMNS} border-b border-rule px-3 py-0.5 text-[12px] text-faded`}>
        {HEADS.map((head) => (
          <span key={head}>{head}</span>
        ))}
      </div>
      <div
        ref={box}
        className="min-h-0 flex-1 overflow-y-auto"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls is reached by key
        tabIndex={0}
        onScroll={(event: UIEvent<HTMLDivElement>) => setTop(event.currentTarget.scrollTop)}
      >
        {/* biome-ignore lint/a11y/useSemanticElements: rows of a virtual table are placed, not laid out */}
        <div
          role="table"
          aria-rowcount={total ?? 0}
          className="relative"
          style={{ height: (total ?? 0) * ROW_PIXELS }}
        >
          {rows.map(({ at, row }) => (
            // biome-ignore lint/a11y/useSemanticElements: see above
            // biome-ignore lint/a11y/useFocusableInteractive: its first cell is a button
            <div
              key={at}
              role="row"
              aria-rowindex={at + 1}
              aria-selected={row ? isChosen(row) : false}
              style={{ top: at * ROW_PIXELS, height: ROW_PIXELS }}
              className={`absolute inset-x-0 ${COLUMNS} items-center border-b border-rule/60 px-3 ${
                row && isChosen(row) ? "bg-accent-wash" : ""
              }`}
            >
              {row && <Cells row={row} onChoose={() => choose(row)} onProblem={setProblem} />}
            </div>
          ))}
        </div>
      </div>
    </section>
  );
}

interface CellsProps {
  row: Row;
  onChoose: () => void;
  onProblem: (problem: string) => void;
}

function Cells({ row, onChoose, onProblem }: CellsProps) {
  const part = useDesk((state) => state.score?.parts[row.part]);
  const resolution = useDesk((state) => state.score?.resolution ?? 960);
  return (
    <>
      <Cell head={0}>
        <button type="button" className="text-left hover:text-accent-deep" onClick={onChoose}>
          {row.bar}:{row.beat}
          <span className="text-faded">.{String(row.rest).padStart(3, "0")}</span>
        </button>
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
      <Cell head={3}>
        {row.note >= 0 && part ? rowName(part, part.pitch[rowOfId(part, row.note)]) : row.number}
      </Cell>
      <Cell head={4}>
        {(row.note >= 0 || row.lane) && part ? <ValueCell row={row} onProblem={onProblem} /> : row.value}
      </Cell>
      <Cell head={5}>
        {row.length ? `${Math.round((row.length / resolution) * 100) / 100} quarters` : ""}
      </Cell>
    </>
  );
}

function Cell({ children, head }: { children: React.ReactNode; head: number }) {
  return (
    // biome-ignore lint/a11y/useSemanticElements: see the table
    <div
      role="cell"
      aria-colindex={head + 1}
      title={HEADS[head]}
      className="flex min-w-0 items-center gap-1.5 truncate"
    >
      {children}
    </div>
  );
}

/** The stroke that gives a row another value. */
function strokeFor(row: Row, value: number): Stroke {
  if (row.note >= 0) {
    return { kind: "velocity.set", where: { parts: [row.part], notes: [[row.note, row.note]] }, value };
  }
  const where = { parts: [row.part], span: [row.tick, row.tick + 1] as [number, number] };
  const node = { tick: row.tick, value, hold: true, lift: 0, ease: 0 };
  return { kind: "lane.nodes", lane: row.lane, where, nodes: [node] };
}

/** A value typed here is a stroke like any other. Enter keeps it and stays; what cannot be is told and goes back. */
function ValueCell({ row, onProblem }: { row: Row; onProblem: (problem: string) => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  const input = useRef<HTMLInputElement>(null);
  // What was typed has become another value, or gone back: the next one is typed over it.
  // biome-ignore lint/correctness/useExhaustiveDependencies: chosen again whenever another value is shown
  useEffect(() => {
    if (typed === null && document.activeElement === input.current) input.current?.select();
  }, [typed, row.value]);
  const what = row.note >= 0 ? "Velocity" : row.number || row.kind;
  const finish = () => {
    const text = typed === null ? undefined : typedNumber(typed);
    setTyped(null);
    if (text === undefined || text === row.value) return;
    const value = /^-?\d+(\.\d+)?$/.test(text) ? Number(text) : Number.NaN;
    const [low, high] = [Number(row.low), Number(row.high)];
    const whole = row.note < 0 || Number.isInteger(value);
    if (value >= low && value <= high && whole) {
      onProblem("");
      void apply(strokeFor(row, value));
    } else onProblem(`${what} must be ${signed(low)} to ${signed(high)}, not ${text || "empty"}.`);
  };
  return (
    <input
      ref={input}
      aria-label={`${row.note >= 0 ? `Velocity of ${row.number}` : `Value of ${what}`} at ${row.bar}:${row.beat}`}
      value={typed ?? row.value}
      inputMode="decimal"
      className="entry h-5 w-16"
      onChange={(event) => setTyped(event.target.value)}
      onKeyDown={(event) => {
        if (event.key === "Enter") finish();
        if (event.key === "Escape") setTyped(null);
      }}
      onBlur={finish}
    />
  );
}

function firstChosen(): number | null {
  const { chosen } = desk();
  let first: number | null = null;
  for (const part of frontParts()) {
    const at = chosen[part.id].indexOf(1);
    if (at >= 0 && (first === null || idOfRow(part, at) < first)) first = idOfRow(part, at);
  }
  return first;
}
