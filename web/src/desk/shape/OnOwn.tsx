import type { Schemas } from "../../api/client";
import { api } from "../../api/client";
import { type Of, plain } from "../../api/strokes";
import { NOTE_PITCH } from "../../score/own";
import { rounded, signed } from "../../ui/numbers";
import { count } from "../../ui/words";
import { ownWhere } from "../strokes/beginOwn";
import { beginOn } from "../strokes/opening";
import { closeUpOfChosen, leaveCloseUp } from "../take/closeUp";
import { useRead } from "../take/reading";
import { desk, keptLane, kindOf, leadPart, takePath, useDesk } from "../take/state";
import { Histogram } from "./Histogram";
import { Unplayed } from "./LaneCare";
import { Reach } from "./Wheel";

/** What is known of the curves of notes of one kind: of those that are chosen, or of all. */
export default function OwnCare({ laneKey }: { laneKey: string }) {
  const chosen = useDesk((state) => state.chosenCount);
  const closeUp = useDesk((state) => state.closeUp);
  const kind = useDesk((state) => kindOf(laneKey, state));
  const drawing = useDesk((state) => state.drawing);
  return (
    <div className="space-y-2 pt-2">
      <OwnFacts laneKey={laneKey} />
      <p className="text-[13px] text-faded">
        {chosen
          ? `On ${count(chosen, "chosen note")}, each over its own length. `
          : "On all notes of the part. Choose some first. "}
        {drawing ? "Drag to draw." : "Press on a curve for a node, drag nodes and ways; d draws."}
      </p>
      {laneKey === NOTE_PITCH && <Reach />}
      <button
        type="button"
        className="key h-8 w-full text-[13px]"
        title="One note large, with all of its curves (c); arrow keys go to the next"
        onClick={() => (closeUp ? leaveCloseUp() : closeUpOfChosen())}
      >
        {closeUp ? "Leave the close-up" : "Close-up"}
      </button>
      <SentAs laneKey={laneKey} name={kind.name} />
      <Unplayed laneKey={laneKey} />
    </div>
  );
}

/** How the part is sent, and what that makes of these curves. */
function SentAs({ laneKey, name }: { laneKey: string; name: string }) {
  const part = useDesk((state) => leadPart(state));
  if (!part) return null;
  const { zoned, members, semitones, way, takes } = part.sent;
  const how = zoned
    ? `MPE: ${members} members, ±${rounded(semitones)} semitones`
    : "plainly, by the part's one channel";
  return (
    <p className="border-t border-rule pt-2 text-[13px]" data-testid="sent">
      Sent {how}
      {way === "auto" ? " (as the notes need it)" : ""}.
      {takes && !takes.includes(laneKey) && ` Its instrument takes no ${name.toLowerCase()}.`}
    </p>
  );
}

/** How the values of the chosen notes' nodes are spread; their mean and their width can be changed as one. */
function OwnFacts({ laneKey }: { laneKey: string }) {
  useDesk((state) => state.chosen);
  const has = useDesk(() => (keptLane(laneKey)?.notes?.size ?? 0) > 0);
  const where = ownWhere();
  const facts = useRead<Schemas["OwnFacts"] | null>(["own-facts", laneKey, where], () => {
    const body = { revision: desk().history.revision, where, lane: laneKey };
    return api.POST("/api/takes/{take_id}/own-facts", { params: { path: takePath() }, body });
  });
  if (!facts?.nodes)
    return (
      <p className="text-faded">
        {has ? "None of these has a curve here." : "No note has a curve here yet."}
      </p>
    );
  const pivot = (change: Partial<Of<"lane.reshape">>) =>
    beginOn(laneKey, plain("lane.reshape", { lane: laneKey, where, pivot: facts.mean, ...change }));
  return (
    <div data-testid="own-facts">
      <p>
        {count(facts.nodes, "node")} of {count(facts.notes, "note")}
      </p>
      <Histogram spread={facts.spread} mark={(facts.mean - facts.low) / (facts.high - facts.low)} />
      <p className="text-[13px] text-faded">
        {signed(facts.lowest)} to {signed(facts.highest)}, mean {signed(facts.mean)}, ±{facts.deviation}
      </p>
      <div className="mt-1 grid grid-cols-2 gap-1.5">
        <button
          type="button"
          className="key h-7 text-[13px]"
          title="All nodes up or down together"
          onClick={() => pivot({ level: kindOf(laneKey).decimals ? 0.5 : 5 })}
        >
          Move the mean
        </button>
        <button
          type="button"
          className="key h-7 text-[13px]"
          title="All nodes nearer to their mean, or further from it"
          onClick={() => pivot({ depth: 0.7 })}
        >
          Width about it
        </button>
      </div>
    </div>
  );
}
