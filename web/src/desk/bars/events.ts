/** The rows of the event list: pages of them, asked for as they come into sight. */
import { useCallback, useEffect, useRef, useState } from "react";
import { api, type Schemas, sentence } from "../../api/client";
import { read } from "../take/reading";
import { takePath, useDesk } from "../take/state";
import type { HEADS, Row } from "./EventCells";

type Page = Schemas["EventPage"];
export type Order = (typeof HEADS)[number][0];

const PAGE_ROWS = 100;

interface Wanted {
  kind: string;
  part: string;
  order: Order;
  falling: boolean;
}

export function useEvents({ kind, part, order, falling }: Wanted) {
  const revision = useDesk((state) => state.history.revision);
  const [total, setTotal] = useState<number | null>(null);
  const [problem, setProblem] = useState("");
  const [pages, setPages] = useState<ReadonlyMap<number, Row[]>>(new Map());
  const [shown, setShown] = useState<[number, number]>([0, 0]);
  const filter = `${revision} ${kind} ${part} ${order} ${falling}`;
  const current = useRef(filter);
  current.current = filter;

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
    const [from, to] = [Math.floor(shown[0] / PAGE_ROWS), Math.floor(shown[1] / PAGE_ROWS)];
    for (let page = from; page <= to; page++) {
      if (total !== null && page * PAGE_ROWS >= Math.max(total, 1)) continue;
      void fetchPage(page * PAGE_ROWS).then((answer) => {
        if (!answer || current.current !== filter) return;
        setTotal(answer.total);
        setPages((all) => (all.get(page) === answer.rows ? all : new Map(all).set(page, answer.rows)));
      });
    }
  }, [shown, filter, total, fetchPage]);

  return {
    total,
    problem,
    setProblem,
    rowAt: (at: number): Row | undefined => pages.get(Math.floor(at / PAGE_ROWS))?.[at % PAGE_ROWS],
    /** Rows from the first to the last of these are in sight. */
    show: (first: number, last: number) => {
      if (shown[0] !== first || shown[1] !== last) setShown([first, last]);
    },
    /** The place of a note's row in the list; null where it is not listed. */
    around: async (note: number): Promise<number | null> => {
      const answer = await fetchPage(0, note);
      const at = answer?.rows.findIndex((row) => row.note === note) ?? -1;
      return answer && at >= 0 ? answer.first + at : null;
    },
  };
}
