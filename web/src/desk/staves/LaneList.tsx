import { lanesShown } from "../take/arranging";
import { leadPart, useDesk } from "../take/state";
import { AddLane } from "./AddLane";
import { LaneRow } from "./LaneRow";

/** Every lane of the leading part that carries data, as a strip; opened, it is tall. Others can be added. */
export function Lanes() {
  const arrangement = useDesk((state) => state.arrangement);
  const part = useDesk((state) => leadPart(state));
  const shown = lanesShown(arrangement, part);
  return (
    <section
      aria-label="Lanes"
      className="max-h-[42%] min-h-8 shrink overflow-x-hidden overflow-y-auto border-t border-rule-strong [scrollbar-width:thin]"
    >
      {shown.map((lane, index) => (
        <LaneRow key={lane.key} look={lane} isFirst={index === 0} isLast={index === shown.length - 1} />
      ))}
      <AddLane shown={shown.map((lane) => lane.key)} />
    </section>
  );
}
