import { Switch } from "radix-ui";
import { useEffect, useRef } from "react";
import type { StrokeView } from "../../api/client";
import { player, usePlayer } from "../../sound/player";
import { Dots, Menu, MenuItem } from "../../ui/Menu";
import { openStroke } from "../take/arranging";
import { deleteStroke, jump, redo, switchStroke, undo } from "../take/shaping";
import { useDesk } from "../take/state";

/** What was done, in order: each stroke can be switched off and on, opened again, gone back to, compared with. */
export function Strokes() {
  const history = useDesk((state) => state.history);
  const openNumber = useDesk((state) => state.shaping?.number);
  const list = useRef<HTMLOListElement>(null);
  const newest = history.strokes.at(-1)?.number;
  // biome-ignore lint/correctness/useExhaustiveDependencies: a stroke that has come is seen
  useEffect(() => {
    const last = list.current?.querySelector("li[data-newest]");
    last?.scrollIntoView({ block: "nearest" });
  }, [newest]);
  return (
    <section
      aria-label="Strokes"
      className="flex h-[max(9.5rem,24%)] shrink-0 flex-col border-t border-rule-strong px-4 pt-3 pb-1"
    >
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
        <ol ref={list} className="-mx-2 min-h-0 flex-1 overflow-y-auto" aria-label="History">
          {history.strokes.map((one) => (
            <StrokeItem
              key={one.number}
              stroke={one}
              isOpen={openNumber === one.number}
              isNewest={newest === one.number}
            />
          ))}
          {history.undone.map(({ label, step }) => (
            <li key={`undone ${step}`} className="py-1 pl-9">
              <button
                type="button"
                title="Do it again, and all before it"
                className="text-faded line-through decoration-rule-strong hover:text-ink"
                onClick={() => void jump(step)}
              >
                {label}
              </button>
            </li>
          ))}
        </ol>
      )}
    </section>
  );
}

function StrokeItem({
  stroke,
  isOpen,
  isNewest,
}: {
  stroke: StrokeView;
  isOpen: boolean;
  isNewest: boolean;
}) {
  const { number, on, idle, mark } = stroke;
  const against = usePlayer((state) => state.against);
  return (
    <li
      data-newest={isNewest || undefined}
      className={`flex items-start gap-1.5 rounded-md px-2 py-1.5 ${isOpen ? "bg-accent-wash" : "hover:bg-paper"}`}
    >
      <span className="w-5 pt-px text-right text-faded">{number}</span>
      <button
        type="button"
        className={`min-w-0 flex-1 text-left ${on && !idle ? "" : "text-faded"}`}
        aria-expanded={isOpen}
        onClick={() => void openStroke(number)}
      >
        <span className="block font-medium">{mark.label}</span>
        <span className="block text-[13px] text-faded">{idle ? `Idle: ${idle}` : mark.place}</span>
        {against === number && (
          <span className="block text-[13px] text-accent-deep">Before is before this one</span>
        )}
      </button>
      <Switch.Root
        checked={on}
        onCheckedChange={(checked) => void switchStroke(number, checked)}
        aria-label={`${mark.label}, ${mark.place}`}
        className="mt-0.5 h-[18px] w-8 shrink-0 rounded-full border border-faded bg-paper data-[state=checked]:border-ink data-[state=checked]:bg-ink"
      >
        <Switch.Thumb className="block h-3 w-3 translate-x-0.5 rounded-full bg-faded transition-transform data-[state=checked]:translate-x-[16px] data-[state=checked]:bg-sheet" />
      </Switch.Root>
      <StrokeMenu stroke={stroke} isAgainst={against === number} />
    </li>
  );
}

function StrokeMenu({ stroke, isAgainst }: { stroke: StrokeView; isAgainst: boolean }) {
  return (
    <Menu label={`More for stroke ${stroke.number}`} sign={<Dots upright />} className="h-6 w-5 rounded">
      <MenuItem onSelect={() => void jump(stroke.step)}>Go back to here</MenuItem>
      <MenuItem onSelect={() => player.compareWith(isAgainst ? 0 : stroke.number)}>
        {isAgainst ? "Compare with the newest again" : "Compare with before this"}
      </MenuItem>
      <MenuItem onSelect={() => void deleteStroke(stroke.number)}>Delete</MenuItem>
    </Menu>
  );
}
