import {
  type ColumnDef,
  rowSortingFeature,
  type SortingState,
  tableFeatures,
  useTable,
} from "@tanstack/react-table";
import { useVirtualizer } from "@tanstack/react-virtual";
import { useCallback, useEffect, useRef, useState } from "react";
import { api, type Schemas, sentence } from "../../api/client";
import { idOfRow, rowOfId, tickAt } from "../../score/score";
import { player } from "../../sound/player";
import { showing } from "../page/camera";
import { beginNote } from "../strokes/beginNotes";
import { partName, toFront } from "../take/arranging";
import { chooseIn } from "../take/choosing";
import { read } from "../take/reading";
import { apply } from "../take/shaping";
import { desk, frontParts, look, set, takePath, useDesk } from "../take/state";
import { Cells, HEADS, type Row, valueAt } from "./EventCells";

type Page = Schemas["EventPage"];

const ROW_PIXELS = 24;
const PAGE_ROWS = 100;
const COLUMNS = "grid grid-cols-[9rem_11rem_7rem_10rem_6rem_1fr] gap-2";
type Order = (typeof HEADS)[number][0];
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

/** Everything in the take as a table. Only what is in sight is fetched and built, however long the take is. */
export function EventList() {
  const revision = useDesk((state) => state.history.revision);
  const score = useDesk((state) => state.score);
  const chosen = useDesk((state) => state.chosen);
  const chosenCount = useDesk((state) => state.chosenCount);
  const [kind, setKind] = useState("");
  const [part, setPart] = useState("");
  const [sorting, setSorting] = useState(IN_TIME);
  const { id: order, desc: falling } = (sorting[0] ?? IN_TIME[0]) as { id: Order; desc: boolean };
  const [total, setTotal] = useState<number | null>(null);
  const [problem, setProblem] = useState("");
  const [pages, setPages] = useState<ReadonlyMap<number, Row[]>>(new Map());
  const box = useRef<HTMLDivElement>(null);
  const filter = `${revision} ${kind} ${part} ${order} ${falling}`;
  const current = useRef(filter);
  current.current = filter;
  // Rows lie on the server, in the order that is asked for there: the table here knows their columns alone.
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
  const virtual = useVirtualizer({
    count: total ?? 0,
    getScrollElement: () => box.current,
    estimateSize: () => ROW_PIXELS,
    overscan: 1,
  });
  const shown = virtual.getVirtualItems();
  const [firstRow, lastRow] = [shown[0]?.index ?? 0, shown.at(-1)?.index ?? 0];

  const fetchPage = useCallback(
    async (first: number, note?: number): Promise<Page | null> => {
      const query = {
        first,
        count: PAGE_ROWS,
        ...(kind ? { kinds: kind } : {}),
        ...(part ? { parts: part } : {}),
        ...(order === "time" ? {} : { order }),
        ...(falling ? { falling } : {}),
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
    [kind, part, order, falling],
  );

  // biome-ignore lint/correctness/useExhaustiveDependencies: other kinds, parts or order mean other rows
  useEffect(() => {
    setPages(new Map());
    setTotal(null);
    setProblem("");
  }, [kind, part, order, falling]);

  // What stood there before a stroke stands until its rows have come, so that nothing is lost that is being typed in.
  useEffect(() => {
    const [from, to] = [Math.floor(firstRow / PAGE_ROWS), Math.floor(lastRow / PAGE_ROWS)];
    for (let page = from; page <= to; page++) {
      if (total !== null && page * PAGE_ROWS >= Math.max(total, 1)) continue;
      void fetchPage(page * PAGE_ROWS).then((answer) => {
        if (!answer || current.current !== filter) return;
        setTotal(answer.total);
        setPages((all) => (all.get(page) === answer.rows ? all : new Map(all).set(page, answer.rows)));
      });
    }
  }, [firstRow, lastRow, filter, total, fetchPage]);

  // The list goes to what is chosen on the page, unless it was chosen here.
  const chosenHere = useRef(-1);
  // biome-ignore lint/correctness/useExhaustiveDependencies: only a new choice moves the list
  useEffect(() => {
    const first = firstChosen();
    if (first === null || first === chosenHere.current) return;
    void fetchPage(0, first).then((answer) => {
      const at = answer?.rows.findIndex((row) => row.note === first) ?? -1;
      if (answer && at >= 0) virtual.scrollToIndex(Math.max(answer.first + at - 2, 0), { align: "start" });
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

  const putValue = () => {
    if (!score) return;
    const made = valueAt(Math.round(tickAt(score, player.position())));
    setProblem(made ? "" : "A value goes on a lane: choose one in the panel first.");
    if (made) void apply(made);
  };
  const rows = shown.map(({ index, start }) => ({
    at: index,
    top: start,
    row: pages.get(Math.floor(index / PAGE_ROWS))?.[index % PAGE_ROWS],
  }));
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
        <button type="button" className="key ml-auto h-6 px-2 text-[13px]" onClick={() => beginNote()}>
          Put in a note
        </button>
        <button type="button" className="key h-6 px-2 text-[13px]" onClick={putValue}>
          Put in a value
        </button>
        <button
          type="button"
          className="min-h-6 text-faded hover:text-ink"
          onClick={() => set({ listOpen: false })}
        >
          Close
        </button>
      </div>
      {/* biome-ignore lint/a11y/useSemanticElements: rows of a virtual table are placed, not laid out */}
      <div
        role="table"
        aria-label="Events"
        aria-rowcount={(total ?? 0) + 1}
        className="flex min-h-0 flex-1 flex-col"
      >
        {/* biome-ignore lint/a11y/useSemanticElements: see above */}
        {/* biome-ignore lint/a11y/useFocusableInteractive: its cells hold buttons */}
        <div
          role="row"
          aria-rowindex={1}
          className={`${COLUMNS} border-b border-rule px-3 text-[12px] text-faded`}
        >
          {table.getFlatHeaders().map(({ id, index, column }) => {
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
        {/* biome-ignore lint/a11y/useSemanticElements: see above */}
        <div
          ref={box}
          role="rowgroup"
          className="min-h-0 flex-1 overflow-y-auto"
          // biome-ignore lint/a11y/noNoninteractiveTabindex: a region that scrolls is reached by key
          tabIndex={0}
        >
          <div role="presentation" className="relative" style={{ height: virtual.getTotalSize() }}>
            {rows.map(({ at, top, row }) => (
              // biome-ignore lint/a11y/useSemanticElements: see above
              // biome-ignore lint/a11y/useFocusableInteractive: its first cell is a button
              <div
                key={at}
                role="row"
                aria-rowindex={at + 2}
                aria-selected={row ? isChosen(row) : false}
                style={{ top, height: ROW_PIXELS }}
                className={`absolute inset-x-0 ${COLUMNS} items-center border-b border-rule/60 px-3 ${
                  row && isChosen(row) ? "bg-accent-wash" : ""
                }`}
              >
                {row && <Cells row={row} onChoose={() => choose(row)} onProblem={setProblem} />}
              </div>
            ))}
          </div>
        </div>
      </div>
    </section>
  );
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
