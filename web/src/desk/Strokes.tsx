import { Switch } from "radix-ui";
import type { StrokeView } from "../api/client";
import { open, redo, switchStroke, undo, useDesk } from "./store";

/** What was done, in order: each stroke can be switched off and on, and opened again. */
export function Strokes() {
  const history = useDesk((state) => state.history);
  const openNumber = useDesk((state) => state.shaping?.number);
  return (
    <section aria-label="Strokes" className="flex min-h-0 flex-1 flex-col p-4">
      <div className="mb-2 flex items-center gap-1">
        <h2 className="flex-1 text-[15px] font-semibold">Strokes</h2>
        <button
          type="button"
          className="key h-7 px-2.5"
          disabled={!history.can_undo}
          onClick={() => void undo()}
        >
          Undo
        </button>
        <button
          type="button"
          className="key h-7 px-2.5"
          disabled={!history.can_redo}
          onClick={() => void redo()}
        >
          Redo
        </button>
      </div>
      {!history.strokes.length && !history.undone.length ? (
        <p className="text-faded">
          As recorded. What you do to the take is listed here, and can be changed later.
        </p>
      ) : (
        <ol className="-mx-2 min-h-0 flex-1 overflow-y-auto" aria-label="History">
          {history.strokes.map((one) => (
            <StrokeItem key={one.number} stroke={one} isOpen={openNumber === one.number} />
          ))}
          {history.undone.map((label, index) => (
            <li
              key={`undone ${index}`}
              className="px-2 py-1.5 pl-9 text-faded line-through decoration-rule-strong"
            >
              {label}
            </li>
          ))}
        </ol>
      )}
    </section>
  );
}

function StrokeItem({ stroke, isOpen }: { stroke: StrokeView; isOpen: boolean }) {
  const { number, on, idle, mark } = stroke;
  return (
    <li
      className={`flex items-start gap-2 rounded-md px-2 py-1.5 ${isOpen ? "bg-accent-wash" : "hover:bg-paper"}`}
    >
      <span className="w-5 pt-px text-right text-faded">{number}</span>
      <button
        type="button"
        className={`min-w-0 flex-1 text-left ${on && !idle ? "" : "text-faded"}`}
        aria-expanded={isOpen}
        onClick={() => void open(number)}
      >
        <span className="block font-medium">{mark.label}</span>
        <span className="block text-[13px] text-faded">{idle ? `Idle: ${idle}` : mark.place}</span>
      </button>
      <Switch.Root
        checked={on}
        onCheckedChange={(checked) => void switchStroke(number, checked)}
        aria-label={`${mark.label}, ${mark.place}`}
        className="mt-0.5 h-[18px] w-8 shrink-0 rounded-full border border-faded bg-paper data-[state=checked]:border-ink data-[state=checked]:bg-ink"
      >
        <Switch.Thumb className="block h-3 w-3 translate-x-0.5 rounded-full bg-faded transition-transform data-[state=checked]:translate-x-[16px] data-[state=checked]:bg-sheet" />
      </Switch.Root>
    </li>
  );
}
