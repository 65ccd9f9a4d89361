import { useEffect } from "react";
import { VELOCITY } from "../../score/lanes";
import { isOfNotes } from "../../score/own";
import { late } from "../../ui/late";
import { NameEntry } from "../../ui/NameEntry";
import { renamePart, rowName } from "../take/arranging";
import { inFront } from "../take/choosing";
import { leadPart, useDesk } from "../take/state";
import { ActiveLane } from "./ActiveLane";
import { Facts } from "./Facts";

/** The numbers of a stroke, and what lanes have, come once the desk is drawn: before a hand can ask for them. */
const opening = () => import("./OpenStroke");
const OpenStroke = late(async () => (await opening()).OpenStroke);
const TypedVelocity = late(async () => (await import("./TypedVelocity")).TypedVelocity);
const Gestures = late(async () => (await import("./Gestures")).Gestures);
const Rules = late(async () => (await import("./Rules")).Rules);
const LaneCare = late(async () => (await import("./OnLane")).default);
const OwnCare = late(async () => (await import("./OnOwn")).default);

/**
 * What Shape acts on, all gestures that fit it, and under them the stroke that is open, with its numbers; or, where none is,
 * what else is known of the lane. Only that scrolls, unless there is next to no room: the gestures stay where the hand has
 * learned them.
 */
export function Shape() {
  const shaping = useDesk((state) => state.shaping);
  const activeLane = useDesk((state) => state.activeLane);
  const onVelocity = activeLane === VELOCITY;
  const hasSelection = useDesk((state) => state.chosenCount > 0 || state.span !== null);
  useEffect(() => void opening(), []);
  return (
    <section aria-label="Shape" className="flex min-h-0 flex-1 basis-0 flex-col overflow-y-auto">
      <div className="shrink-0 space-y-1.5 px-3 pt-2 pb-1.5">
        <h2 className="sr-only">Shape</h2>
        <div className="flex items-center gap-2">
          <ActiveLane />
          {onVelocity && hasSelection && <TypedVelocity where={inFront} />}
        </div>
        <VoiceName />
        {onVelocity && <Facts />}
        <Gestures />
      </div>
      <div className="min-h-28 flex-1 overflow-y-auto border-t border-rule px-3 pb-2">
        {shaping ? (
          <OpenStroke shaping={shaping} />
        ) : onVelocity ? (
          <Rules />
        ) : isOfNotes(activeLane) ? (
          <OwnCare laneKey={activeLane} />
        ) : (
          <LaneCare laneKey={activeLane} />
        )}
      </div>
    </section>
  );
}

/** The voice that is shown alone, by a name that can be changed; it is kept with the take. */
function VoiceName() {
  const voice = useDesk((state) => state.voice);
  const part = useDesk((state) => leadPart(state));
  if (voice === null || !part?.drum) return null;
  const name = rowName(part, voice);
  return (
    <div className="flex items-center gap-2">
      <span className="text-faded">Voice</span>
      <NameEntry
        key={`${part.id} ${voice} ${name}`}
        label="Name of the voice"
        name={name}
        maxLength={120}
        className="flex-1"
        onDone={(typed) => typed !== name && renamePart(part.id, { voices: { [voice]: typed } })}
      />
    </div>
  );
}
