import { useEffect, useRef, useState } from "react";
import type { StrokeView } from "../../api/client";
import { placeText } from "../../score/score";
import { player, usePlayer } from "../../sound/player";
import { late } from "../../ui/late";
import { Dots, Menu, MenuItem } from "../../ui/Menu";
import { NameEntry } from "../../ui/NameEntry";
import { openStroke } from "../take/arranging";
import { apply, deleteStroke, jump, moveStroke, nameStroke, redo, switchStroke, undo } from "../take/shaping";
import { set, useDesk } from "../take/state";
import { Toggle } from "./Toggle";

const Dials = late(async () => (await import("./Dials")).Dials);

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
      className="flex max-h-[20%] min-h-16 shrink-0 flex-col border-t border-rule-strong px-3 pt-1.5 pb-1"
    >
      <UndoKeys />
      {!history.strokes.length && !history.undone.length ? (
        <p className="text-faded">
          As recorded. What you do to the take is listed here, and can be changed later.
        </p>
      ) : (
        <ol ref={list} className="-mx-2 min-h-0 flex-1 overflow-y-auto" aria-label="History">
          {history.strokes.map((one) => (
            <StrokeLine
              key={one.number}
              stroke={one}
              isOpen={openNumber === one.number}
              isNewest={newest === one.number}
            />
          ))}
          {history.undone.map(({ label, step }) => (
            <li key={`undone ${step}`} className="min-h-6 pl-9 text-[13px]">
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

function UndoKeys() {
  const history = useDesk((state) => state.history);
  const checkOpen = useDesk((state) => state.checkOpen);
  return (
    <div className="mb-0.5 flex items-center gap-1">
      <h2 className="flex-1 font-semibold">Strokes</h2>
      <button
        type="button"
        className="key h-6 px-2 text-[13px] aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet"
        aria-pressed={checkOpen}
        title="What is broken, and what sounds programmed"
        onClick={() => set({ checkOpen: !checkOpen })}
      >
        Check-up
      </button>
      <button
        type="button"
        className="key h-6 px-2 text-[13px]"
        disabled={!history.can_undo}
        onClick={() => void undo()}
      >
        Undo
      </button>
      <button
        type="button"
        className="key h-6 px-2 text-[13px]"
        disabled={!history.can_redo}
        onClick={() => void redo()}
      >
        Redo
      </button>
    </div>
  );
}

interface LineProps {
  stroke: StrokeView;
  isOpen: boolean;
  isNewest: boolean;
}

/** A stroke; one that is made of several opens into them. */
function StrokeLine(props: LineProps) {
  const [unfolded, setUnfolded] = useState(false);
  const { stroke } = props;
  return (
    <li data-newest={props.isNewest || undefined}>
      <StrokeItem {...props} unfolded={unfolded} onUnfold={() => setUnfolded(!unfolded)} />
      {unfolded && stroke.dials.length > 0 && <Dials stroke={stroke} />}
    </li>
  );
}

function StrokeItem({
  stroke,
  isOpen,
  unfolded,
  onUnfold,
}: LineProps & { unfolded: boolean; onUnfold: () => void }) {
  const { number, on, mark } = stroke;
  const against = usePlayer((state) => state.against);
  const [naming, setNaming] = useState(false);
  if (naming) {
    const done = (typed: string) => {
      setNaming(false);
      if (typed !== (stroke.stroke.called ?? "")) void nameStroke(stroke, typed);
    };
    return (
      <div className="flex min-h-6 items-center px-2">
        <NameEntry
          label="Name of the stroke"
          name={stroke.stroke.called ?? ""}
          maxLength={60}
          className="h-6 w-full"
          asked
          onDone={done}
        />
      </div>
    );
  }
  return (
    <div
      className={`flex min-h-6 items-center gap-1.5 rounded px-2 text-[13px] ${isOpen ? "bg-accent-wash" : "hover:bg-paper"}`}
    >
      {stroke.dials.length > 0 && (
        <button
          type="button"
          aria-expanded={unfolded}
          aria-label={`What ${mark.label} is made of`}
          title="What it is made of, one by one"
          className="-mr-4 -ml-2 grid min-h-6 w-6 shrink-0 place-items-center text-faded hover:text-ink"
          onClick={onUnfold}
        >
          <span aria-hidden>{unfolded ? "▾" : "▸"}</span>
        </button>
      )}
      <span className="w-5 text-right text-faded">{number}</span>
      <StrokeName stroke={stroke} isOpen={isOpen} isAgainst={against === number} />
      <Toggle
        on={on}
        label={`${mark.label}, ${mark.place}`}
        onChange={(checked) => void switchStroke(number, checked)}
      />
      <StrokeMenu stroke={stroke} isAgainst={against === number} onName={() => setNaming(true)} />
    </div>
  );
}

function StrokeName({
  stroke,
  isOpen,
  isAgainst,
}: {
  stroke: StrokeView;
  isOpen: boolean;
  isAgainst: boolean;
}) {
  const { number, on, idle, mark } = stroke;
  return (
    <button
      type="button"
      className={`flex min-h-6 min-w-0 flex-1 items-center gap-1.5 text-left ${on && !idle ? "" : "text-faded"}`}
      aria-expanded={isOpen}
      title={`${mark.label}, ${idle ? `idle: ${idle}` : mark.place}`}
      onClick={() => void openStroke(number)}
    >
      <span className="truncate font-medium">{mark.label}</span>
      <span className={`ml-auto min-w-0 truncate text-faded ${idle || isAgainst ? "" : "shrink-0"}`}>
        {isAgainst ? "Before is before this one" : idle ? `Idle: ${idle}` : mark.place}
      </span>
    </button>
  );
}

interface StrokeMenuProps {
  stroke: StrokeView;
  isAgainst: boolean;
  onName: () => void;
}

function StrokeMenu({ stroke, isAgainst, onName }: StrokeMenuProps) {
  const span = useDesk((state) => state.span);
  const score = useDesk((state) => state.score);
  return (
    <Menu label={`More for stroke ${stroke.number}`} sign={<Dots upright />} className="h-6 w-6 rounded">
      <MenuItem onSelect={() => void jump(stroke.step)}>Go back to here</MenuItem>
      <MenuItem onSelect={() => player.compareWith(isAgainst ? 0 : stroke.number)}>
        {isAgainst ? "Compare with the newest again" : "Compare with before this"}
      </MenuItem>
      <MenuItem onSelect={() => void apply(stroke.stroke)}>Do it once more</MenuItem>
      <MenuItem onSelect={() => span && void moveStroke(stroke.number, span[0])} disabled={!span}>
        {span && score
          ? `Move it to bar ${placeText(score, span[0])}`
          : "Move it to the bars chosen on the ruler"}
      </MenuItem>
      <MenuItem onSelect={onName}>
        {stroke.stroke.called ? "Give it another name" : "Give it a name"}
      </MenuItem>
      <MenuItem onSelect={() => void deleteStroke(stroke.number)}>Delete</MenuItem>
    </Menu>
  );
}
