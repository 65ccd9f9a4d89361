/** What is only read of a take is asked for once a revision, however many places show it. */
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { answered, api, type Schemas } from "../../api/client";
import { queries } from "../../api/queries";
import { desk, takePath, useDesk } from "./state";

type Asked = Parameters<typeof answered>[0];

const keyOf = (id: string | undefined, revision: number, what: readonly unknown[]) => [
  "take",
  id,
  revision,
  ...what,
];

/** An answer about the open take at its revision; `what` tells it from others. Throws Refusal. */
export function read<T>(what: readonly unknown[], ask: () => Asked): Promise<T> {
  const { score, history } = desk();
  return queries.fetchQuery({
    queryKey: keyOf(score?.id, history.revision, what),
    queryFn: () => answered<T>(ask()),
  });
}

/** An answer that has come with another, about the revision that is seen now. */
export function tell<T>(what: readonly unknown[], answer: T): void {
  queries.setQueryData(keyOf(desk().score?.id, desk().history.revision, what), answer);
}

/** The same for a component: what was known stands until the answer about the newest revision has come. */
export function useRead<T>(what: readonly unknown[], ask: () => Asked): T | undefined {
  return useAsked<T>(what, ask, true).data;
}

/**
 * What takes the server a while, and nothing waits for: asked once the hand has rested. `after` is an answer of the same
 * kind that is awaited first, so that both are not worked out at once.
 */
export function useRestedRead<T>(
  what: readonly unknown[],
  ask: () => Asked,
  after?: Rested<unknown>,
): Rested<T> {
  const revision = useDesk((state) => state.history.revision);
  const isHeld = useDesk((state) => state.tip !== null || state.saving > 0);
  const [rested, setRested] = useState(false);
  useEffect(() => {
    setRested(false);
    if (isHeld) return;
    const timer = window.setTimeout(() => setRested(true), revision ? REST_MS : 0);
    return () => window.clearTimeout(timer);
  }, [revision, isHeld]);
  const { data, isPlaceholderData } = useAsked<T>(what, ask, rested && after?.isNew !== false);
  return { data, isNew: data !== undefined && !isPlaceholderData };
}

const REST_MS = 500;

export interface Rested<T> {
  data: T | undefined;
  /** It is about the revision that is seen. */
  isNew: boolean;
}

function useAsked<T>(what: readonly unknown[], ask: () => Asked, enabled: boolean) {
  const id = useDesk((state) => state.score?.id);
  const revision = useDesk((state) => state.history.revision);
  return useQuery({
    queryKey: keyOf(id, revision, what),
    queryFn: () => answered<T>(ask()),
    enabled: id !== undefined && enabled,
    placeholderData: keepPreviousData,
  });
}

/** What is wrong on all lanes, and what reads as programmed. */
export const useCheckUp = (): Rested<Schemas["SpotView"][]> =>
  useRestedRead(["checkup"], () => api.GET("/api/takes/{take_id}/checkup", { params: { path: takePath() } }));

/** What is wrong on all lanes. */
export const useFaults = (): Rested<Schemas["Fault"][]> =>
  useRestedRead(["unplayed"], () =>
    api.GET("/api/takes/{take_id}/unplayed", { params: { path: takePath() } }),
  );
