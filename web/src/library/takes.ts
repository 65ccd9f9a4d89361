/** The takes of the account, and what can be done to them; `tell` says what came of it. */
import { useQuery } from "@tanstack/react-query";
import { useEffect } from "react";
import { answered, api, sentence, type TakeCard } from "../api/client";
import { askAnew, queries } from "../api/queries";
import type { NoticeText } from "../ui/Notice";
import type { Added } from "./upload";

const LISTED = ["takes", "listed"];

/** Show what has changed at once, and ask for the list anew: one from before a change would take the change back. */
async function change(next: (takes: TakeCard[]) => TakeCard[]): Promise<void> {
  await queries.cancelQueries({ queryKey: ["takes"] });
  queries.setQueryData<TakeCard[]>(LISTED, (all) => next(all ?? []));
  void askAnew("takes");
}

/** A take that has come, or one that came again, first in the list. */
export const addTake = (added: TakeCard) =>
  change((all) => [added, ...all.filter((one) => one.id !== added.id)]);

export function useTakes(tell: (notice: NoticeText) => void) {
  const {
    data: takes = null,
    error,
    refetch,
  } = useQuery({
    queryKey: LISTED,
    queryFn: () => answered<TakeCard[]>(api.GET("/api/takes")),
    staleTime: 0,
  });
  // biome-ignore lint/correctness/useExhaustiveDependencies: an error is told once
  useEffect(() => {
    if (!error) return;
    tell({ text: sentence(error), action: { label: "Try again", run: () => void refetch() } });
  }, [error, refetch]);

  async function attempt(act: () => Promise<void>) {
    try {
      await act();
    } catch (thrown) {
      tell({ text: sentence(thrown) });
    }
  }

  const bringBack = (take_id: string) =>
    attempt(async () => {
      await answered(api.POST("/api/takes/{take_id}/restore", { params: { path: { take_id } } }));
      await askAnew("takes");
    });

  return {
    takes,
    bringBack,
    /** The same recording once more, read as MPE: a take beside the one that was read as it says. */
    openZoned: (take_id: string, then: () => void) =>
      attempt(async () => {
        const params = { path: { take_id } };
        await addTake(await answered<Added>(api.POST("/api/takes/{take_id}/zoned", { params })));
        then();
      }),
    rename: (take: TakeCard, name: string) =>
      attempt(async () => {
        const path = { take_id: take.id };
        const renamed = await answered<TakeCard>(
          api.PATCH("/api/takes/{take_id}", { params: { path }, body: { name } }),
        );
        await change((all) => all.map((one) => (one.id === take.id ? renamed : one)));
      }),
    remove: (take: TakeCard) =>
      attempt(async () => {
        await answered(api.DELETE("/api/takes/{take_id}", { params: { path: { take_id: take.id } } }));
        await change((all) => all.filter((one) => one.id !== take.id));
        const action = { label: "Undo", run: () => void bringBack(take.id) };
        tell({ text: `“${take.name}” was deleted. It is kept for 30 days, under Deleted.`, action });
      }),
  };
}
