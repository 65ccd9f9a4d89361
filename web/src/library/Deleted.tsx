import { useQuery } from "@tanstack/react-query";
import { answered, api, type Schemas } from "../api/client";

const DAY = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "long" });

export const DELETED = ["takes", "deleted"];

/** What was deleted in the last thirty days, to be brought back. */
export function Deleted({ onBringBack }: { onBringBack: (id: string) => Promise<void> }) {
  // The library itself says what is wrong.
  const { data: takes = [] } = useQuery({
    queryKey: DELETED,
    queryFn: () => answered<Schemas["DeletedTake"][]>(api.GET("/api/takes/deleted")),
    staleTime: 0,
  });
  if (!takes.length) return null;
  return (
    <details className="mt-8 border-t border-rule pt-3">
      <summary className="cursor-pointer text-faded hover:text-ink">
        Deleted <span className="font-medium">{takes.length}</span>
      </summary>
      <ul aria-label="Deleted takes" className="mt-2 max-w-2xl divide-y divide-rule">
        {takes.map(({ id, name, deleted_at }) => (
          <li key={id} className="flex items-center gap-3 py-1.5">
            <span className="min-w-0 flex-1 [overflow-wrap:anywhere]">{name}</span>
            <span className="text-[13px] text-faded">deleted on {DAY.format(new Date(deleted_at))}</span>
            <button type="button" className="key h-8 text-[13px]" onClick={() => void onBringBack(id)}>
              Bring back
            </button>
          </li>
        ))}
      </ul>
    </details>
  );
}
