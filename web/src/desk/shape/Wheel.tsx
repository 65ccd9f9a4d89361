import { placeText } from "../../score/score";
import { List } from "../../ui/Entries";
import { rounded } from "../../ui/numbers";
import { noteName } from "../take/arranging";
import { leadPart, type Reaching, set, useDesk } from "../take/state";

const MOST_TOLD = 4;

/** The wheel: how far it goes, and what a drag on its lane comes to. */
export function Wheel() {
  const part = useDesk((state) => leadPart(state));
  const score = useDesk((state) => state.score);
  const steps = part?.bendRange ?? [];
  const ranges = [...new Set(steps.map(([, semitones]) => rounded(semitones)))];
  const largest = part?.largest ?? null;
  return (
    <>
      <p className="text-[13px]" data-testid="bend-range">
        Range ±{ranges.join(", ±")} semitones
        {ranges.length > 1 && ` (${steps.length - 1} changes)`}
        {largest !== null && `, the instrument's at most ±${rounded(largest)}`}. Gestures act on the chosen
        notes, or on all.
      </p>
      {part?.byHand && (
        <p className="text-[13px] text-accent-deep" data-testid="by-hand">
          Set the bend range of the instrument to {ranges[0]} semitones by hand: nothing is sent about it.
        </p>
      )}
      {!!part?.inForce.length && score && (
        <p className="text-[13px]" data-testid="in-force">
          Also acting on it:{" "}
          {part.inForce
            .slice(0, MOST_TOLD)
            .map(({ tick, what }) => `${what} at ${placeText(score, tick)}`)
            .join(", ")}
          {part.inForce.length > MOST_TOLD && " …"}
        </p>
      )}
      <Reach />
    </>
  );
}

/** What a drag comes to. */
export function Reach() {
  const reaching = useDesk((state) => state.reaching);
  const scales = useDesk((state) => state.scales);
  const change = (fields: Partial<Reaching>) => set({ reaching: { ...reaching, ...fields } });
  return (
    <>
      <List label="Drags to" value={reaching.to} onChange={(to) => change({ to: to as Reaching["to"] })}>
        <option value="semitones">semitones</option>
        <option value="scale">notes of a scale</option>
        <option value="part">notes of the part</option>
        <option value="free">any pitch</option>
      </List>
      {reaching.to === "scale" && (
        <div className="grid grid-cols-2 gap-2">
          <List label="Root" value={reaching.root} onChange={(root) => change({ root: Number(root) })}>
            {Array.from({ length: 12 }, (_, pitch) => noteName(60 + pitch).replace(/-?\d+$/, "")).map(
              (name, pitch) => (
                <option key={name} value={pitch}>
                  {name}
                </option>
              ),
            )}
          </List>
          <List label="Scale" value={reaching.scale} onChange={(scale) => change({ scale })}>
            {scales.map(({ key, name }) => (
              <option key={key} value={key}>
                {name}
              </option>
            ))}
          </List>
        </div>
      )}
    </>
  );
}
