import type { Schemas, Stroke } from "../../api/client";
import { asksOf, specOf } from "../../api/strokes";
import { BEND } from "../../score/lanes";
import { focusLane } from "../stage/laneSight";
import { lastNumbers } from "../strokes/lastNumbers";
import { deleteStroke, done, keep, keepWith, letGo, preview } from "../take/shaping";
import { desk, type Shaping } from "../take/state";
import { FIELDS } from "./fields";
import type { FormProps } from "./fields/form";
import { Extent } from "./fields/places";
import { Heard, Saving } from "./Proof";

/** The open stroke with all its numbers: what the pointer does to it shows here, and what is typed here shows on the page. */
export function OpenStroke({ shaping }: { shaping: Shaping }) {
  const { stroke, number, problem } = shaping;
  const change = (fields: object) => preview({ ...stroke, ...fields } as Stroke);
  const keepChange = (fields: object) => {
    // What an entry is left with was tried as it was typed: it is not asked for twice.
    if (!holds(stroke, fields)) change(fields);
    if (number !== null) void keep();
  };
  return (
    <form
      data-numbers
      onSubmit={(event) => {
        // Enter in any of its fields keeps it, and the keys are free again.
        event.preventDefault();
        if (number !== null || problem) return;
        void keep();
        if (isTyped(event.currentTarget)) focusLane(desk().activeLane);
      }}
    >
      <Ends shaping={shaping} change={change} />
      <Numbers stroke={stroke} change={change} keep={keepChange} problem={shaping.field} />
      <Findings shaping={shaping} keep={keepChange} />
    </form>
  );
}

/** What the stroke is called, and how it is ended. */
function Ends({ shaping, change }: { shaping: Shaping; change: (fields: object) => void }) {
  const { stroke, number, problem } = shaping;
  const { name } = specOf(stroke.kind);
  const last = number === null ? lastNumbers(stroke) : null;
  return (
    // Where Keep was pressed there lies Done afterwards, at the edge: nothing that a second press could harm.
    <div className="sticky top-0 z-10 -mx-3 mb-1 flex items-center gap-1.5 bg-sheet px-3 py-1.5">
      <h3 className="min-w-0 flex-1 truncate font-semibold text-accent-deep">
        {name}
        <span className="ml-1.5 font-normal text-faded">{number === null ? "new" : `stroke ${number}`}</span>
      </h3>
      {last && (
        <button
          type="button"
          className="key h-7 px-2 text-[13px]"
          title={`The numbers with which ${name} was kept last`}
          onClick={() => change(last)}
        >
          As last time
        </button>
      )}
      {number === null ? (
        <button type="button" className="key h-7 px-2.5" title="Escape" onClick={letGo}>
          Cancel
        </button>
      ) : (
        <button type="button" className="key h-7 px-2.5" onClick={() => void deleteStroke(number)}>
          Delete stroke
        </button>
      )}
      {number === null ? (
        <button
          type="submit"
          className="key key-warm h-7 px-2.5"
          title="Enter; what you do next keeps it too"
          disabled={!!problem}
        >
          Keep
        </button>
      ) : (
        <button type="button" className="key h-7 px-2.5" onClick={() => void done()}>
          Done
        </button>
      )}
    </div>
  );
}

/** What the stroke comes to: why it cannot be, that it does nothing, what is heard of it. */
function Findings({ shaping, keep }: { shaping: Shaping; keep: (fields: object) => void }) {
  const { stroke, problem, found } = shaping;
  const { says } = specOf(stroke.kind);
  return (
    <>
      {/* Room is kept for a reason, so that no button moves under the hand when one comes. */}
      <div className="mt-1 min-h-[1lh] text-[13px] text-accent-deep">
        {problem && <p role="alert">{inWords(problem, shaping.field, stroke)}</p>}
        {!problem && found?.beyond && <Beyond beyond={found.beyond} />}
        {!problem && found?.idle && <p>It changes nothing here.</p>}
        {problem &&
          Object.entries(shaping.offer ?? {}).map(([field, value]) => (
            <button
              key={field}
              type="button"
              className="key mt-1 h-8 text-[13px]"
              onClick={() => keep({ [field]: value })}
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
      {says && <p className="mt-1 text-[13px] leading-tight text-faded">{says}</p>}
    </>
  );
}

/** Whether a stroke has these numbers. */
const holds = (stroke: Stroke, fields: object) =>
  Object.entries(fields).every(
    ([name, value]) => JSON.stringify(stroke[name as keyof Stroke]) === JSON.stringify(value),
  );

/** Whether the keys are in one of its entries, not on a button. */
const isTyped = (form: HTMLElement) =>
  form.contains(document.activeElement) && document.activeElement instanceof HTMLInputElement;

/** A bend that is drawn further than the wheel goes: said, and made to be heard with one click. */
function Beyond({ beyond }: { beyond: Schemas["Fault"] }) {
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
    <div className="grid grid-cols-2 gap-x-4 gap-y-1 text-[13px] [&_.entry]:h-6">
      {asksOf(form.stroke).map((ask) => {
        const Field = FIELDS[ask.widget]!;
        return <Field key={`${ask.widget} ${ask.name}`} ask={ask} {...form} />;
      })}
      {"lane" in form.stroke && <Extent {...form} />}
      <Saving />
    </div>
  );
}
