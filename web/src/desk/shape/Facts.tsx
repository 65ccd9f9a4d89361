/** What is known of the choice, in two lines: room is kept for them, so that no key moves under the hand. */
import type { Facts as Known } from "../../api/client";
import { count } from "../../ui/words";
import { useDesk } from "../take/state";
import { Histogram } from "./Histogram";

export function Facts() {
  const facts = useDesk((state) => state.facts);
  const hasSelection = useDesk((state) => state.chosenCount > 0 || state.span !== null);
  return (
    <div className="flex h-11 items-center overflow-hidden gap-2 text-[13px] leading-tight">
      {facts ? (
        <Told facts={facts} />
      ) : (
        <p className="text-faded">
          {hasSelection
            ? "No notes begin in this span."
            : "Drag over notes, or along the ruler for a span; without either, gestures act on all notes of the parts in front."}
        </p>
      )}
    </div>
  );
}

function Told({ facts }: { facts: Known }) {
  // One number with its noun, or two with the noun behind the second.
  const sounds = facts.sounds > facts.held;
  return (
    <>
      <div className="min-w-0 flex-1">
        <p className="truncate">
          <span data-testid="facts">
            {count(facts.count, "note")}
            {facts.at_end > 0 && <span className="text-faded">, {facts.at_end} at the end of the range</span>}
          </span>
          <span className="text-faded" data-testid="lengths">
            , held{" "}
            {sounds ? `${facts.held}, sounding ${count(facts.sounds, "beat")}` : count(facts.held, "beat")}
          </span>
        </p>
        <dl className="flex gap-2.5">
          {facts.count > 1 && <Fact name="lowest" value={facts.lowest} />}
          <Fact name={facts.count > 1 ? "mean" : "velocity"} value={facts.mean} mark={facts.dynamic} />
          {facts.count > 1 && <Fact name="highest" value={facts.highest} />}
        </dl>
      </div>
      {facts.count > 1 && (
        <div className="w-20 shrink-0">
          <Histogram spread={facts.spread} />
        </div>
      )}
    </>
  );
}

function Fact({ name, value, mark }: { name: string; value: number; mark?: string }) {
  return (
    <div className="flex gap-1">
      <dt className="text-faded">{name}</dt>
      <dd className="font-medium">
        {value}
        {mark && <span className="ml-1 font-mark italic">{mark}</span>}
      </dd>
    </div>
  );
}
