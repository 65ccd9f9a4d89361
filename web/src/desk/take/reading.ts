/** What is only read of a take is asked for once a revision, however many places show it. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { answered } from "../../api/client";
import { queries } from "../../api/queries";
import { type DeskState, desk, useDesk } from "./state";

type Asked = Parameters<typeof answered>[0];

const keyed = ({ score, history }: DeskState, what: readonly unknown[]) => [
  "take",
  score?.id,
  history.revision,
  ...what,
];

/** An answer about the open take at its revision; `what` tells it from others. Throws Refusal. */
export function read<T>(what: readonly unknown[], ask: () => Asked): Promise<T> {
  return queries.fetchQuery({ queryKey: keyed(desk(), what), queryFn: () => answered<T>(ask()) });
}

/** The same for a component: what was known stands until the answer about the newest revision has come. */
export function useRead<T>(what: readonly unknown[], ask: () => Asked): T | undefined {
  const id = useDesk((state) => state.score?.id);
  const revision = useDesk((state) => state.history.revision);
  const { data } = useQuery({
    queryKey: ["take", id, revision, ...what],
    queryFn: () => answered<T>(ask()),
    enabled: id !== undefined,
    placeholderData: keepPreviousData,
  });
  return data;
}
