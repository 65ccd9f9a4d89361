import { onLead } from "../take/choosing";
import { useFaults } from "../take/reading";
import { apply } from "../take/shaping";
import { set, useDesk } from "../take/state";

/** A lane that says nothing before the first note: told, and mended with one click. */
export function LeadIn({
  laneKey,
  begins,
  fallback,
  hasData,
}: {
  laneKey: string;
  begins: boolean;
  fallback: number;
  hasData: boolean;
}) {
  if (!begins) return null;
  const lead_in = (value: number | null) =>
    void apply({ kind: "lane.lead_in", lane: laneKey, where: onLead(), value });
  return (
    <div className="space-y-1.5 border-t border-rule pt-2">
      {hasData && (
        <p className="text-[13px] text-accent-deep">
          It has no value before the first note: the instrument starts with what was left from last time.
        </p>
      )}
      <div className="grid grid-cols-2 gap-1.5">
        {hasData && (
          <button type="button" className="key h-8 text-[13px]" onClick={() => lead_in(null)}>
            As it begins
          </button>
        )}
        <button type="button" className="key h-8 text-[13px]" onClick={() => lead_in(fallback)}>
          Lead-in at {fallback}
        </button>
      </div>
    </div>
  );
}

/** What is wrong on this lane: said, shown as a span, and taken away as a stroke where one mends it. */
export function Unplayed({ laneKey }: { laneKey: string }) {
  const part = useDesk((state) => state.fronts[0]);
  const { data: all } = useFaults();
  const found = (all ?? []).filter((one) => one.part === part && one.lane === laneKey);
  return found.map((one) => (
    <div key={one.reason} className="space-y-1.5 border-t border-rule pt-2" data-testid="unplayed">
      <p className="text-[13px] text-accent-deep">{one.says}</p>
      <div className="grid grid-cols-2 gap-1.5">
        <button type="button" className="key h-8 text-[13px]" onClick={() => set({ span: one.spans[0] })}>
          Show it
        </button>
        {one.stroke && (
          <button
            type="button"
            className="key min-h-8 text-[13px]"
            onClick={() => one.stroke && void apply(one.stroke)}
          >
            {one.mend}
          </button>
        )}
      </div>
    </div>
  ));
}
