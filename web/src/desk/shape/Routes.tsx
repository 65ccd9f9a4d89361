import { NumberEntry } from "../../ui/NumberEntry";
import { between } from "../../ui/numbers";
import { type Route, renamePart, routesOf } from "../take/arranging";
import { useDesk } from "../take/state";

const TARGETS = ["level", "brightness", "vibrato", "pan", "resonance", "detune"] as const;

/** What this lane also moves in the practice synth; kept with the part. */
export function Routes({ laneKey }: { laneKey: string }) {
  const part = useDesk((state) => state.fronts[0] ?? 0);
  const arrangement = useDesk((state) => state.arrangement);
  const all = routesOf(part, arrangement);
  const change = (routes: readonly Route[]) => renamePart(part, { routes: [...routes] });
  const free = TARGETS.filter((target) => !all.some((one) => one.lane === laneKey && one.target === target));
  return (
    <fieldset className="space-y-1.5 border-t border-rule pt-2" aria-label="In the practice synth">
      <p className="text-[13px] text-faded">In the practice synth it also moves</p>
      {all.map((route, at) =>
        route.lane === laneKey ? (
          <div key={route.target} className="flex items-center gap-2">
            <NumberEntry
              label={route.target}
              step={0.1}
              value={route.amount}
              problem={Math.abs(route.amount) > 1}
              className="flex-1"
              onKeep={(amount) =>
                change(all.map((one, i) => (i === at ? { ...one, amount: between(amount, -1, 1) } : one)))
              }
            />
            <button
              type="button"
              className="key h-7 px-2"
              aria-label={`No longer move ${route.target}`}
              onClick={() => change(all.filter((_, i) => i !== at))}
            >
              ×
            </button>
          </div>
        ) : null,
      )}
      {free.length > 0 && (
        <select
          aria-label="Also move"
          value=""
          className="entry text-left"
          onChange={(event) =>
            change([...all, { lane: laneKey, target: event.target.value as Route["target"], amount: 0.5 }])
          }
        >
          <option value="">nothing more …</option>
          {free.map((target) => (
            <option key={target}>{target}</option>
          ))}
        </select>
      )}
    </fieldset>
  );
}
