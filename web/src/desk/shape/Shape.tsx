import { lazy, Suspense, useEffect } from "react";
import type { Facts } from "../../api/client";
import { VELOCITY } from "../../score/lanes";
import { isOfNotes } from "../../score/own";
import { NameEntry } from "../../ui/NameEntry";
import { count } from "../../ui/words";
import { renamePart, rowName } from "../take/arranging";
import { inFront } from "../take/choosing";
import { leadPart, useDesk } from "../take/state";
import { ActiveLane } from "./ActiveLane";
import { Hand } from "./Hand";
import { Histogram } from "./Histogram";
import { TypedVelocity } from "./TypedVelocity";

/** The numbers of a stroke, and what lanes have, come once the desk is drawn: before a hand can ask for them. */
const opening = () => import("./OpenStroke");
const OpenStroke = lazy(async () => ({ default: (await opening()).OpenStroke }));
const gestures = () => import("./OnNotes");
const Gestures = lazy(async () => ({ default: (await gestures()).Gestures }));
const Rules = lazy(async () => ({ default: (await import("./Rules")).Rules }));
const LaneGestures = lazy(() => import("./OnLane"));
const OwnGestures = lazy(() => import("./OnOwn"));

/** Facts of the selection, and the gestures that fit it, with their numbers. */
export function Shape() {
  const shaping = useDesk((state) => state.shaping);
  const facts = useDesk((state) => state.facts);
  const activeLane = useDesk((state) => state.activeLane);
  const onVelocity = activeLane === VELOCITY;
  const hasSelection = useDesk((state) => state.chosenCount > 0 || state.span !== null);
  useEffect(() => void opening(), []);
  return (
    <section aria-label="Shape" className="p-4">
      <h2 className="mb-2 text-[15px] font-semibold">Shape</h2>
      <ActiveLane />
      <VoiceName />
      {onVelocity && (
        // Facts come after the choice: room is kept for them, so that no button moves under the hand when they do.
        <div className="mb-3 min-h-[8.25rem]">
          {facts ? <FactsView facts={facts} /> : <Advice hasSelection={hasSelection} />}
        </div>
      )}
      <Hand onVelocity={onVelocity} />
      {hasSelection && onVelocity && <TypedVelocity where={inFront} />}
      {shaping ? (
        <Suspense>
          <OpenStroke shaping={shaping} />
        </Suspense>
      ) : onVelocity ? (
        <Suspense>
          <Gestures hasSelection={hasSelection} />
          <Rules />
        </Suspense>
      ) : isOfNotes(activeLane) ? (
        <Suspense>
          <OwnGestures laneKey={activeLane} />
        </Suspense>
      ) : (
        <Suspense>
          <LaneGestures laneKey={activeLane} />
        </Suspense>
      )}
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
    <div className="mb-2 flex items-center gap-2">
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

function Advice({ hasSelection }: { hasSelection: boolean }) {
  return (
    <p className="text-faded">
      {hasSelection
        ? "No notes begin in this span."
        : "Drag over notes, or along the ruler for a span. Then drag on the velocity lane to draw a hairpin."}
    </p>
  );
}

function FactsView({ facts }: { facts: Facts }) {
  return (
    <div>
      <p data-testid="facts">
        {count(facts.count, "note")}
        {facts.at_end > 0 && <span className="text-faded">, {facts.at_end} at the end of the range</span>}
      </p>
      <p className="text-[13px] text-faded" data-testid="lengths">
        Held {count(facts.held, "beat")}
        {facts.sounds > facts.held && `, sounding ${count(facts.sounds, "beat")}`} on average
      </p>
      <Histogram spread={facts.spread} />
      <dl className="grid grid-cols-3 text-center">
        <Fact name="lowest" value={facts.lowest} />
        <Fact name="mean" value={facts.mean} mark={facts.dynamic} />
        <Fact name="highest" value={facts.highest} />
      </dl>
    </div>
  );
}

function Fact({ name, value, mark }: { name: string; value: number; mark?: string }) {
  return (
    <div className="flex flex-col-reverse">
      <dt className="text-[12px] text-faded">{name}</dt>
      <dd className="text-[15px] font-medium">
        {value}
        {mark && <span className="ml-1 font-mark italic">{mark}</span>}
      </dd>
    </div>
  );
}
