import { isSwitch, titleOf } from "../../score/lanes";
import { Choice } from "../../ui/Choice";
import { List } from "../../ui/Entries";
import { NumberEntry } from "../../ui/NumberEntry";
import { between } from "../../ui/numbers";
import { count } from "../../ui/words";
import { erase } from "../hand/laneGestures";
import { bringToSight } from "../stage/laneStage";
import { beginOnLane, GESTURES, spanOf } from "../strokes/beginLane";
import { changeLane, partName } from "../take/arranging";
import { onLead } from "../take/choosing";
import { apply } from "../take/shaping";
import { leadPart, set, useDesk } from "../take/state";
import { GestureKey } from "./GestureKey";
import { LeadIn, Unplayed } from "./LaneCare";
import { Routes } from "./Routes";
import { Trace } from "./Trace";

/** What can be done to the lane that Shape is about. */
export function LaneGestures({ laneKey }: { laneKey: string }) {
  const names = useDesk((state) => state.laneNames);
  const head = useDesk((state) => leadPart(state)?.lanes.find((lane) => lane.key === laneKey));
  const span = useDesk((state) => state.span);
  const drawing = useDesk((state) => state.drawing);
  const steps = useDesk((state) => state.steps);
  const tolerance = useDesk((state) => state.tolerance);
  const name = names.find((one) => one.key === laneKey);
  const switches = isSwitch(laneKey, head, names);
  const offered = GESTURES.filter(({ slides }) => !(slides && switches));
  return (
    <div className="space-y-2 border-t border-rule pt-3">
      {drawing && !switches && (
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
            step={0.5}
            value={tolerance}
            problem={tolerance < 0 || tolerance > 64}
            onTry={(kept) => set({ tolerance: kept })}
            onKeep={(kept) => set({ tolerance: between(kept, 0, 64) })}
          />
        </>
      )}
      <p className="text-[13px] text-faded">
        {head
          ? `${count(head.nodes, "node")}, ${head.lowest} to ${head.highest}. `
          : "Nothing yet: draw, or begin here. "}
        {span ? "These act within the span." : "Without a span these act on all of the lane."}
      </p>
      <div className="grid grid-cols-2 gap-1.5">
        {offered.map(({ sign, name: what, title, make }) => (
          <GestureKey
            key={what}
            sign={sign}
            name={what}
            title={title}
            run={() => beginOnLane(make(laneKey, spanOf(laneKey)))}
          />
        ))}
      </div>
      <div className="grid grid-cols-2 gap-1.5">
        <button
          type="button"
          className="key h-8 text-[13px]"
          disabled={!head}
          onClick={() => void apply(erase(laneKey))}
        >
          {span ? "Erase the span" : "Clear the lane"}
        </button>
        <button
          type="button"
          className="key h-8 text-[13px]"
          disabled={!leadPart()?.lanes.length}
          title="All lanes of the part in front, in the span where one is chosen"
          onClick={() => {
            const keys = leadPart()?.lanes.map((lane) => lane.key) ?? [];
            void apply({ kind: "lane.clear", lane: keys, where: onLead(span) });
          }}
        >
          Clear all lanes
        </button>
      </div>
      <Shared />
      <LeadIn
        laneKey={laneKey}
        begins={head ? !head.leads_in : true}
        fallback={name?.default ?? 0}
        hasData={!!head}
      />
      <Unplayed laneKey={laneKey} />
      <Trace laneKey={laneKey} isSwitch={switches} />
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
  const others = part.shares.map((id) => partName(score.parts[id], arrangement));
  return (
    <p className="border-t border-rule pt-2 text-[13px]" data-testid="shared">
      Channel {part.channel} is shared with {others.join(", ")}: the lanes belong to the channel, and every
      part on it hears what is done here.
    </p>
  );
}

/** What Shape is about: velocity, or one of the lanes on the desk. */
export function About() {
  const about = useDesk((state) => state.about);
  const names = useDesk((state) => state.laneNames);
  return (
    <List
      label="About"
      called="What Shape is about"
      className="mb-2"
      value={about}
      onChange={(key) => {
        set({ about: key });
        if (key === "velocity") return;
        changeLane(key, { open: true });
        bringToSight(key);
      }}
    >
      <option value="velocity">Velocity</option>
      {names.map(({ key }) => (
        <option key={key} value={key}>
          {titleOf(key, names)}
        </option>
      ))}
    </List>
  );
}
