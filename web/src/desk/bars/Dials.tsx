import type { StrokeView } from "../../api/client";
import { signed } from "../../ui/numbers";
import { openStroke } from "../take/arranging";
import { turnDial } from "../take/shaping";
import { Toggle } from "./Toggle";

/** What a stroke is put together from: each is switched off by itself, and opens where its amount is. */
export function Dials({ stroke }: { stroke: StrokeView }) {
  return (
    <ul aria-label={`What ${stroke.mark.label} is made of`}>
      {stroke.dials.map((dial) => (
        <li key={dial.field} className="flex min-h-6 items-center gap-1.5 pr-2 pl-10 text-[13px]">
          <button
            type="button"
            className={`flex min-h-6 min-w-0 flex-1 items-center text-left ${dial.amount ? "" : "text-faded line-through decoration-1"}`}
            onClick={() => void openStroke(stroke.number)}
          >
            <span className="truncate">{dial.name}</span>
            {dial.amount !== 0 && <span className="ml-auto text-faded">{signed(dial.amount)}</span>}
          </button>
          <Toggle
            on={dial.amount !== 0}
            label={`${dial.name}, of ${stroke.mark.label}`}
            onChange={(on) => void turnDial(stroke, dial.field, on)}
          />
          <span aria-hidden className="w-6" />
        </li>
      ))}
    </ul>
  );
}
