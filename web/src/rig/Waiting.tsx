/** Passes of the take that were begun and not kept: kept, or let go of, by one click each. */
import { useQuery } from "@tanstack/react-query";
import { answered, api } from "../api/client";
import { askAnew } from "../api/queries";
import { readAnew } from "../desk/take/shaping";
import { complain, takePath, useDesk } from "../desk/take/state";
import { passesLeft, useRecorder } from "./recorder";

export function Waiting() {
  const id = useDesk((state) => state.score?.id);
  const phase = useRecorder((state) => state.phase);
  const unsent = useRecorder((state) => state.unsent);
  const { data } = useQuery({
    queryKey: ["passes", id],
    queryFn: () => passesLeft(id as string),
    enabled: id !== undefined && phase === "idle",
    staleTime: 0,
  });
  const left = phase === "idle" ? (data ?? []) : [];
  const finish = async (pass_id: string, keeps: boolean) => {
    try {
      const params = { path: { ...takePath(), pass_id } };
      if (keeps) {
        await answered(api.POST("/api/takes/{take_id}/passes/{pass_id}/keep", { params, body: {} }));
        await readAnew();
      } else await answered(api.DELETE("/api/takes/{take_id}/passes/{pass_id}", { params }));
    } catch (thrown) {
      complain(thrown);
    }
    await askAnew("passes");
  };
  return (
    <>
      {unsent > 1 && (
        <span role="status" className="text-accent-deep">
          {`${unsent} seconds wait for the server; nothing is lost.`}
        </span>
      )}
      {left.map(({ id: pass, begun_at }) => (
        <span key={pass} role="status" className="flex items-center gap-2">
          {`A pass of ${new Date(begun_at).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit" })} was not kept.`}
          <button type="button" className="key h-7 px-2" onClick={() => void finish(pass, true)}>
            Keep it
          </button>
          <button type="button" className="key key-plain h-7 px-2" onClick={() => void finish(pass, false)}>
            Let it go
          </button>
        </span>
      ))}
    </>
  );
}
