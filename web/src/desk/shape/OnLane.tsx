import { BEND, formOf, slides } from "../../score/lanes";
import { Choice } from "../../ui/Choice";
import { NumberEntry } from "../../ui/NumberEntry";
import { between, rounded, signed } from "../../ui/numbers";
import { count } from "../../ui/words";
import { beginning } from "../strokes/numbers";
import { partName } from "../take/arranging";
import { kindOf, leadPart, set, useDesk } from "../take/state";
import { LeadIn, Unplayed } from "./LaneCare";
import { Proof } from "./Proof";
import { Routes } from "./Routes";
import { Trace } from "./Trace";
import { Wheel } from "./Wheel";

/** What is known of the lane that Shape is about, what is wrong on it, and what it can be made from. */
export default function LaneCare({ laneKey }: { laneKey: string }) {
  const kind = useDesk((state) => kindOf(laneKey, state));
  const head = useDesk((state) => leadPart(state)?.lanes.find((lane) => lane.key === laneKey));
  const span = useDesk((state) => state.span);
  const drawing = useDesk((state) => state.drawing);
  const steps = useDesk((state) => state.steps);
  const tolerance = useDesk((state) => state.tolerance);
  const sliding = slides(formOf(kind, head));
  const step = beginning(laneKey).tolerance;
  return (
    <div className="space-y-2 pt-2">
      {drawing && sliding && (
        <>
          <Choice
            label="Lines"
            value={steps ? "steps" : "slide"}
            options={[
              ["slide", "slide"],
              ["steps", "jump in steps"],
            ]}
            onChange={(how) => set({ steps: how === "steps" })}
          />
          <NumberEntry
            label="Tolerance of what is drawn"
            step={0.5 * step}
            value={rounded(tolerance * step, 3)}
            problem={tolerance < 0 || tolerance > 64}
            onTry={(kept) => set({ tolerance: kept / step })}
            onKeep={(kept) => set({ tolerance: between(kept / step, 0, 64) })}
          />
        </>
      )}
      <p className="text-[13px] text-faded">
        {head
          ? `${count(head.nodes, "node")}, ${signed(head.lowest)} to ${signed(head.highest)}. `
          : "Nothing yet: draw, or begin here. "}
        {span ? "These act within the span." : "Without a span these act on all of the lane."}
      </p>
      {laneKey === BEND && <Wheel />}
      <Shared />
      <LeadIn
        laneKey={laneKey}
        begins={head ? !head.leads_in : true}
        fallback={kind.default}
        hasData={!!head}
      />
      <Proof laneKey={laneKey} />
      <Unplayed laneKey={laneKey} />
      <Trace kind={kind} sliding={sliding} />
      <Routes laneKey={laneKey} />
    </div>
  );
}

/** That other parts are on the same channel, and hear what is done here. */
function Shared() {
  const score = useDesk((state) => state.score);
  const part = useDesk((state) => leadPart(state));
  const arrangement = useDesk((state) => state.arrangement);
  if (!score || !part?.shares.length) return null;
  const others = part.shares.map((id) => partName(score.parts[id]!, arrangement));
  return (
    <p className="border-t border-rule pt-2 text-[13px]" data-testid="shared">
      Channel {part.channel} is shared with {others.join(", ")}: the lanes belong to the channel, and every
      part on it hears what is done here.
    </p>
  );
}
