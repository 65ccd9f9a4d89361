/** What a file that is taken away will not say as it is drawn, and the one thing that helps. */
import { answered, api, type Schemas } from "../../api/client";
import { apply, settled } from "./shaping";
import { set, takePath } from "./state";

type Kind = "plain" | "mpe" | "clip";

/** Say what is lost in a form of the take (as its address says it), where anything is. */
export async function tellUnsent(address: string): Promise<void> {
  if (address.startsWith("page/")) return;
  const asked = new URLSearchParams(address.split("?")[1] ?? "");
  const kind = (asked.get("kind") ?? undefined) as Kind | undefined;
  const query = { kind, cues: asked.get("cues") !== "false" };
  await settled();
  const ask = api.GET("/api/takes/{take_id}/unsent", { params: { path: takePath(), query } });
  const found = await answered<Schemas["Fault"][]>(ask).catch(() => []);
  if (!found.length) return;
  const first = found[0]!;
  const more = found.length > 1 ? ` And ${found.length - 1} more.` : "";
  const { stroke } = first;
  set({
    notice: {
      text: `Not as drawn in this file: ${first.says}${more}`,
      action: stroke ? { label: first.mend, run: () => void apply(stroke) } : undefined,
    },
  });
}
