import { useEffect, useRef, useState } from "react";
import { OWN_KINDS } from "../../score/own";
import { changeLane, isSetting, type LaneLook, lanesShown } from "../take/arranging";
import { kindOf, leadPart, set, useDesk } from "../take/state";
import { AddLane } from "./AddLane";
import { LaneRow } from "./LaneRow";

/** Every lane of the leading part that carries data, as a strip; opened, it is tall. Others can be added. */
export function Lanes() {
  const arrangement = useDesk((state) => state.arrangement);
  const part = useDesk((state) => leadPart(state));
  const all = lanesShown(arrangement, part);
  const closeUp = useDesk((state) => state.closeUp !== null);
  if (closeUp) return <OwnLanes />;
  const hidden = all.filter((lane) => lane.hidden);
  const settings = all.filter((lane) => !lane.hidden && isSetting(lane, part));
  const shown = all.filter((lane) => !lane.hidden && !settings.includes(lane));
  return (
    <section
      aria-label="Lanes"
      className="max-h-[42%] min-h-8 shrink overflow-x-hidden overflow-y-auto border-t border-rule-strong [scrollbar-width:thin]"
    >
      {shown.map((lane, index) => (
        <LaneRow key={lane.key} look={lane} isFirst={index === 0} isLast={index === shown.length - 1} />
      ))}
      <Folded label="Set once" lanes={settings} />
      <Folded label="Hidden" lanes={hidden} />
      <AddLane shown={shown.map((lane) => lane.key)} />
    </section>
  );
}

/** Lanes that share a line: a click opens one, and Shape then acts on it. */
function Folded({ label, lanes }: { label: string; lanes: readonly LaneLook[] }) {
  const part = useDesk((state) => leadPart(state));
  useDesk((state) => state.kinds);
  if (!lanes.length) return null;
  return (
    <ul
      aria-label={label}
      className="flex flex-wrap items-center gap-x-3 gap-y-0.5 border-b border-rule px-2 py-1 text-[13px]"
    >
      <li aria-hidden className="text-faded">
        {label}
      </li>
      {lanes.map(({ key }) => {
        const head = part?.lanes.find((lane) => lane.key === key);
        const value = head && head.lowest === head.highest ? ` ${head.lowest}` : "";
        return (
          <li key={key} data-lane={key}>
            <button
              type="button"
              className="h-6 rounded px-1 hover:text-accent-deep"
              title={`Open ${kindOf(key).title}`}
              onClick={() => {
                set({ activeLane: key });
                changeLane(key, { hidden: false, open: true });
              }}
            >
              {kindOf(key).name}
              <span className="font-medium">{value}</span>
            </button>
          </li>
        );
      })}
    </ul>
  );
}

/** All curves of the note that is opened large, one above the other, each as tall as the next. */
function OwnLanes() {
  const room = useRef<HTMLElement>(null);
  const [height, setHeight] = useState(LEAST_CLOSE);
  useEffect(() => {
    const section = room.current as HTMLElement;
    const sizes = new ResizeObserver(() =>
      setHeight(Math.max(Math.floor(section.clientHeight / OWN_KINDS.length) - 1, LEAST_CLOSE)),
    );
    sizes.observe(section);
    return () => sizes.disconnect();
  }, []);
  return (
    <section
      ref={room}
      aria-label="Lanes of the close-up"
      className="min-h-8 flex-[1.2] basis-0 overflow-x-hidden overflow-y-auto border-t border-rule-strong [scrollbar-width:thin]"
    >
      {OWN_KINDS.map((key) => (
        <LaneRow
          key={key}
          look={{ key, open: true, hidden: false, height }}
          isFirst={key === OWN_KINDS[0]}
          isLast={key === OWN_KINDS[OWN_KINDS.length - 1]}
        />
      ))}
    </section>
  );
}

/** Lower than this they scroll. */
const LEAST_CLOSE = 72;
