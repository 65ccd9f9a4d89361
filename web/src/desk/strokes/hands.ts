/** Hands: how somebody plays, measured from a part and kept in the account. */
import { answered, api, type Schemas, sendFile } from "../../api/client";
import { askAnew } from "../../api/queries";
import { plain } from "../../api/strokes";
import type { PartScore } from "../../score/score";
import { count } from "../../ui/words";
import { partName } from "../take/arranging";
import { inFront, onLead } from "../take/choosing";
import { complain, desk, set, takePath } from "../take/state";
import { anotherRoll } from "./numbers";
import { begin } from "./opening";

export type Hand = Schemas["HandView"];
export type Measured = Schemas["Hand"];

export const readHands = () => answered<Hand[]>(api.GET("/api/hands"));

export const handOf = (hand_id: string) =>
  answered<Measured>(api.GET("/api/hands/{hand_id}", { params: { path: { hand_id } } }));

/** Measure how a part is played, as it is now; what it lacks is said. */
export async function measureHand(part: PartScore): Promise<void> {
  const body = { part: part.id, name: `${partName(part)}, ${desk().name}`.slice(0, 80) };
  try {
    const hand = await answered<Hand>(
      api.POST("/api/takes/{take_id}/hands", { params: { path: takePath() }, body }),
    );
    await askAnew("hands");
    const lacks = hand.lacks.length ? ` ${hand.lacks.join(" ")}` : "";
    set({
      notice: {
        text: `“${hand.name}” is a hand now, from ${count(hand.notes, "note")}: give it to a part with “Like a hand”.${lacks}`,
      },
    });
  } catch (thrown) {
    complain(thrown);
  }
}

/** Give the newest hand to what is chosen, or to the part; another is chosen in the form. */
export async function beginHand(): Promise<void> {
  try {
    const [first] = await readHands();
    if (!first) {
      set({
        notice: { text: "There is no hand yet: open a part's menu, and measure how it is played." },
      });
      return;
    }
    const hand = await handOf(first.id);
    begin(plain("play.like", { hand, seed: anotherRoll(), where: { ...inFront(), ...onLead() } }));
  } catch (thrown) {
    complain(thrown);
  }
}

/** Keep a hand that was given on. Throws Refusal. */
export async function bringHand(file: File): Promise<Hand> {
  const { answer } = await sendFile<Hand>("/api/hands", file);
  await askAnew("hands");
  return answer;
}

export async function dropHand(hand_id: string): Promise<void> {
  await answered(api.DELETE("/api/hands/{hand_id}", { params: { path: { hand_id } } }));
  await askAnew("hands");
}
