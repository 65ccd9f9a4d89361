import { api, type Schemas } from "../../api/client";
import { placeText } from "../../score/score";
import { rounded } from "../../ui/numbers";
import { count } from "../../ui/words";
import { showing } from "../page/camera";
import { useFaults, useRestedRead } from "../take/reading";
import { look, set, takePath, useDesk } from "../take/state";

/** What a receiver makes of the bytes of this lane, against what is drawn: how far they differ at most, and where. */
export function Proof({ laneKey }: { laneKey: string }) {
  const part = useDesk((state) => state.fronts[0] ?? 0);
  const faults = useFaults();
  const { data: proof } = useRestedRead<Schemas["ProofView"]>(
    ["proof", part],
    () => api.GET("/api/takes/{take_id}/proof", { params: { path: takePath(), query: { part } } }),
    faults,
  );
  return proof ? <Heard proof={proof} laneKey={laneKey} /> : null;
}

/** The same of a proof that is known. */
export function Heard({ proof, laneKey }: { proof: Schemas["Proof"]; laneKey: string }) {
  const score = useDesk((state) => state.score);
  const lane = proof.lanes.find(({ key }) => key === laneKey);
  if (!score || !lane) return null;
  const off =
    lane.cents === null
      ? `${rounded(lane.steps, 1)} of a step`
      : `${rounded(lane.cents, 1)} cents (${rounded(lane.steps, 1).toLocaleString("en-GB")} steps)`;
  const isWithin = lane.off < 1e-4;
  return (
    <div className="space-y-1 border-t border-rule pt-2 text-[13px]" data-testid="proof">
      <p>
        {isWithin ? (
          "A receiver hears it exactly as it is drawn."
        ) : (
          <>
            A receiver hears it {off} from what is drawn at most,{" "}
            <button
              type="button"
              className="inline-flex min-h-6 items-center font-medium underline hover:text-accent-deep"
              onClick={() => goTo(lane.tick)}
            >
              at {placeText(score, lane.tick)}
            </button>
            {lane.elsewhere !== null && `, beyond the range; elsewhere ${rounded(lane.elsewhere, 1)} cents`}.
          </>
        )}
      </p>
      <p className="text-faded">
        {lane.messages.toLocaleString("en-GB")} messages; {lane.bytes_a_second.toLocaleString("en-GB")} bytes
        a second where it is busiest, {proof.cable.toLocaleString("en-GB")} with all on its cable (which
        carries {proof.most.toLocaleString("en-GB")}).
      </p>
    </div>
  );
}

/** The place in the middle of the page, close enough to be seen, and marked by the span. */
function goTo(tick: number): void {
  look((camera, score) => showing(camera, score, tick - score.resolution / 2, tick + score.resolution / 2));
  set({ span: [tick, tick + 1] });
}

/** What distilling saves, and how far it strays at most. */
export function Saving() {
  const saving = useDesk((state) => state.shaping?.found?.saving);
  if (!saving) return null;
  if (!saving.before)
    return (
      <p data-testid="saving" className="col-span-2 text-[13px]">
        Within this tolerance there is nothing to save.
      </p>
    );
  return (
    <p data-testid="saving" className="col-span-2 text-[13px]">
      {count(saving.before, "node")} become {saving.after.toLocaleString("en-GB")},{" "}
      {count(saving.sent_before, "message")} {saving.sent_after.toLocaleString("en-GB")}; at most{" "}
      {saving.error} off.
    </p>
  );
}
