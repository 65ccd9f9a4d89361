/** Of a pass that was played in: what of it does not count, and where another pass of the same bars counts instead. */
import { api, type Schemas, type StrokeView } from "../../api/client";
import { placeText } from "../../score/score";
import { Check } from "../../ui/Entries";
import { useRead } from "../take/reading";
import { changeStrokes } from "../take/shaping";
import { takePath, useDesk } from "../take/state";

import type { FieldProps } from "./fields/form";
import { type Pass, takenFrom } from "./passes";
import { Rounds } from "./Rounds";

const KINDS = [
  ["notes", "notes"],
  ["bend", "bend"],
  ["pressure", "pressure"],
  ["key pressure", "key pressure"],
  ["pedals", "pedals"],
] as const;

type Span = [number, number];

export function PassField({ stroke: made, keep }: FieldProps) {
  const stroke = made as Pass;
  const out = stroke.leave_out ?? [];
  const history = useDesk((state) => state.history);
  const number = useDesk((state) => state.shaping?.number);
  const found = useRead<Schemas["GearFinding"][]>(["gear", number], () =>
    api.GET("/api/takes/{take_id}/strokes/{number}/gear", {
      params: { path: { ...takePath(), number: number ?? 0 } },
    }),
  );
  const mine = history.strokes.find((one) => one.number === number);
  const rounds = history.strokes.filter(
    ({ stroke: other }) =>
      other.kind === stroke.kind &&
      String(other.where?.span) === String(stroke.where?.span) &&
      String(other.where?.parts) === String(stroke.where?.parts),
  );
  const turn = (kind: string, on: boolean) =>
    keep({ leave_out: on ? [...out, kind] : out.filter((one) => one !== kind) });
  const whole = stroke.where?.span as Span | undefined;
  return (
    <div className="col-span-2 flex flex-col gap-2 text-[13px]">
      {rounds.length > 1 && mine && <WhichRound rounds={rounds} mine={mine} whole={whole as Span} />}
      <fieldset className="[&_label]:min-h-6">
        <legend className="text-faded">Leave out</legend>
        <div className="grid grid-cols-2 gap-x-2">
          {KINDS.map(([kind, words]) => (
            <Check key={kind} words={words} on={out.includes(kind)} onChange={(on) => turn(kind, on)} />
          ))}
        </div>
      </fieldset>
      {found?.map(({ says, kind, mend }) => (
        <p key={says}>
          {says}{" "}
          {mend?.do === "ignore" && !out.includes(kind) && (
            <button type="button" className="underline" onClick={() => turn(kind, true)}>
              Leave it out
            </button>
          )}
        </p>
      ))}
    </div>
  );
}

interface WhichProps {
  rounds: StrokeView[];
  mine: StrokeView;
  whole: Span;
}

/** Which of the rounds over the same bars sounds, and where. */
function WhichRound({ rounds, mine, whole }: WhichProps) {
  const span = useDesk((state) => state.span);
  const score = useDesk((state) => state.score);
  const inside = span && span[0] < whole[1] && span[1] > whole[0];
  return (
    <div>
      <p className="text-faded">
        {`Round ${rounds.indexOf(mine) + 1} of ${rounds.length}${mine.on ? "" : "; another one sounds"}. A drag over bars takes them from that round.`}
      </p>
      <Rounds rounds={rounds} whole={whole} />
      <div className="mt-1 flex flex-wrap gap-2">
        <button
          type="button"
          className="key h-7"
          onClick={() => void changeStrokes(takenFrom(rounds, mine, whole))}
        >
          This one sounds
        </button>
        <button
          type="button"
          className="key h-7"
          disabled={!inside}
          title={inside ? undefined : "Choose bars on the ruler first"}
          onClick={() => span && void changeStrokes(takenFrom(rounds, mine, span))}
        >
          {inside && score
            ? `${placeText(score, span[0])} to ${placeText(score, span[1])} from this one`
            : "Chosen bars from this one"}
        </button>
      </div>
    </div>
  );
}
