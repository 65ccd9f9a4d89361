import { useEffect, useRef } from "react";
import type { Schemas, Stroke } from "../../api/client";
import { asksOf, specOf } from "../../api/strokes";
import { BEND } from "../../score/lanes";
import { deleteStroke, done, keep, keepWith, letGo, preview } from "../take/shaping";
import type { Shaping } from "../take/state";
import { FIELDS } from "./fields";
import type { FormProps } from "./fields/form";
import { Extent } from "./fields/places";
import { Heard, Saving } from "./Proof";

/** The open stroke with all its numbers: what the pointer does to it shows here, and what is typed here shows on the page. */
export function OpenStroke({ shaping }: { shaping: Shaping }) {
  const { stroke, number, problem, found } = shaping;
  const change = (fields: object) => preview({ ...stroke, ...fields } as Stroke);
  const keepChange = (fields: object) => {
    change(fields);
    if (number !== null) void keep();
  };
  const { name, says } = specOf(stroke.kind);
  // Its numbers are what is wanted now: as much of them as there is room for is brought into sight.
  const form = useRef<HTMLDivElement>(null);
  useEffect(() => {
    form.current?.scrollIntoView({ block: "start" });
  }, []);
  return (
    <div ref={form} className="border-t border-rule pt-3">
      <h3 className="mb-2 font-semibold text-accent-deep">
        {name}
        <span className="ml-1.5 font-normal text-faded">{number === null ? "new" : `stroke ${number}`}</span>
      </h3>
      {says && <p className="mb-2 text-[13px] text-faded">{says}</p>}
      <Numbers stroke={stroke} change={change} keep={keepChange} problem={shaping.field} />
      {/* Room is kept for a reason, so that no button moves under the hand when one comes. */}
      <div className="mt-2 min-h-[2lh] text-accent-deep">
        {problem && <p role="alert">{inWords(problem, shaping.field, stroke)}</p>}
        {!problem && found?.beyond && <Beyond beyond={found.beyond} />}
        {problem &&
          Object.entries(shaping.offer ?? {}).map(([field, value]) => (
            <button
              key={field}
              type="button"
              className="key mt-1 h-8 text-[13px]"
              onClick={() => keepChange({ [field]: value })}
            >
              Take {value}
            </button>
          ))}
      </div>
      {found?.proof && <Heard proof={found.proof} laneKey={BEND} />}
      {found?.also && (
        <p className="mt-1 text-[13px] text-accent-deep" data-testid="also">
          {found.also}
        </p>
      )}
      {/* Where Keep was pressed there lies Done afterwards: nothing that a second press could harm. */}
      <div className="sticky bottom-0 -mx-1 mt-1 flex gap-2 bg-sheet px-1 py-2">
        <button
          type="button"
          className={`key flex-1 ${number === null ? "key-warm" : ""}`}
          disabled={number === null && !!problem}
          onClick={() => void (number === null ? keep() : done())}
        >
          {number === null ? "Keep" : "Done"}
        </button>
        {number === null ? (
          <button type="button" className="key flex-1" onClick={letGo}>
            Cancel
          </button>
        ) : (
          <button type="button" className="key" onClick={() => void deleteStroke(number)}>
            Delete
          </button>
        )}
      </div>
    </div>
  );
}

/** A bend that is drawn further than the wheel goes: said, and made to be heard with one click. */
function Beyond({ beyond }: { beyond: Schemas["Unplayed"] }) {
  const { stroke } = beyond;
  return (
    <p className="text-[13px]" data-testid="beyond" title={beyond.says}>
      Further than the wheel goes: not all is heard.{" "}
      {stroke && (
        <button
          type="button"
          className="inline-flex min-h-6 items-center font-medium underline hover:text-ink"
          onClick={() => void keepWith(stroke)}
        >
          {beyond.mend}
        </button>
      )}
    </p>
  );
}

/** A reason with the field called what it is called here. */
function inWords(problem: string, field: string | null, stroke: Stroke): string {
  const label = asksOf(stroke).find(({ name }) => name === field)?.label;
  if (!field || !label || !problem.startsWith(field)) return problem;
  return label + problem.slice(field.length).replace("must be a number from ", "must be ");
}

/** The fields of the table, each as what it holds is asked for; and on how much it acts. */
function Numbers(form: FormProps) {
  return (
    <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
      {asksOf(form.stroke).map((ask) => {
        const Field = FIELDS[ask.widget];
        return <Field key={`${ask.widget} ${ask.name}`} ask={ask} {...form} />;
      })}
      {"lane" in form.stroke && <Extent {...form} />}
      <Saving />
    </div>
  );
}
