/** A part more, to be played into. */
import { answered, api, type Schemas } from "../api/client";
import { toFront } from "../desk/take/arranging";
import { readAnew } from "../desk/take/shaping";
import { complain, takePath } from "../desk/take/state";
import { set } from "./recorder";

/** Add a part of which nothing is played yet, arm it, and bring it to the front. */
export async function addPart(): Promise<void> {
  try {
    const params = { path: takePath() };
    const { id } = await answered<Schemas["PartMade"]>(
      api.POST("/api/takes/{take_id}/new-part", { params, body: { name: "" } }),
    );
    await readAnew();
    toFront(id);
    set({ armed: null });
  } catch (thrown) {
    complain(thrown);
  }
}
