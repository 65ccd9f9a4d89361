import { type PointerEvent, useEffect, useRef, useState } from "react";
import { isSwitch, lanesOf, titleOf } from "../../score/lanes";
import { between, signed } from "../../ui/numbers";
import { type Grip, Press } from "../hand/grip";
import { laneGrip } from "../hand/laneGestures";
import { GUTTER } from "../page/camera";
import { valueOfY, yOfValue } from "../page/draw/lane";
import { attachLane, bringToSight, type LaneKind, laneHint, sayHint, spanFrom } from "../stage/laneStage";
import { changeLane, DYES, dropLane, type LaneLook, lanesShown, moveLane, wish } from "../take/arranging";
import { desk, leadPart, set, useDesk, type Wishes } from "../take/state";
import { FrameGrips } from "./FrameGrips";
import { Grips } from "./Grips";
import { Tip } from "./Tip";

type Favourite = NonNullable<Wishes["favourites"]>[number];

const STRIP_HEIGHT = 34;
const LANE_RANGE = [0, 127] as const;

/** Every lane of the leading part that carries data, as a strip; opened, it is tall. Others can be added. */
export function Lanes() {
  const arrangement = useDesk((state) => state.arrangement);
  const part = useDesk((state) => leadPart(state));
  const shown = lanesShown(arrangement, part);
  return (
    <section
      aria-label="Lanes"
      className="max-h-[42%] min-h-8 shrink overflow-x-hidden overflow-y-auto border-t border-rule-strong [scrollbar-width:thin]"
    >
      {shown.map((lane, index) => (
        <LaneRow key={lane.key} look={lane} isFirst={index === 0} isLast={index === shown.length - 1} />
      ))}
      <AddLane shown={shown.map((lane) => lane.key)} />
    </section>
  );
}

function LaneRow({ look, isFirst, isLast }: { look: LaneLook; isFirst: boolean; isLast: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const names = useDesk((state) => state.laneNames);
  const head = useDesk((state) => leadPart(state)?.lanes.find((lane) => lane.key === look.key));
  const favourite = useDesk((state) => state.wishes.favourites?.find((one) => one.key === look.key));
  const name = names.find((one) => one.key === look.key);
  const title = favourite?.label || titleOf(look.key, names);
  const kind = useRef<LaneKind>({ key: look.key, open: false, isSwitch: false, unit: "" });
  kind.current = {
    key: look.key,
    open: look.open ?? false,
    isSwitch: isSwitch(look.key, head, names),
    unit: name?.unit ?? "",
  };
  useEffect(() => attachLane(canvas.current as HTMLCanvasElement, () => kind.current), []);
  // A lane that is opened, or added as the one that is meant, is seen whole wherever it lies among the others.
  const wasOpen = useRef(look.open && desk().about !== look.key);
  useEffect(() => {
    if (look.open && !wasOpen.current) bringToSight(look.key);
    wasOpen.current = look.open;
  }, [look.open, look.key]);
  const press = useRef<Press | null>(null);
  press.current ??= new Press(true);
  useEffect(() => press.current?.watchEscape(), []);
  const placeOf = (event: PointerEvent<HTMLElement>): [number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  const range = head && `${signed(head.lowest)} to ${signed(head.highest)}`;
  const facts = head ? `${head.nodes.toLocaleString("en-GB")} · ${range}` : "no data";
  const height = look.open ? (look.height ?? 140) : STRIP_HEIGHT;
  return (
    <div className="relative border-b border-rule" style={{ height }} data-lane={look.key}>
      <canvas
        ref={canvas}
        aria-label={`${title} of the leading part`}
        className="block h-full w-full touch-none"
        onPointerDown={(event) => {
          if (event.button !== 0) return;
          const [x, y] = placeOf(event);
          const stave = { key: look.key, isSwitch: kind.current.isSwitch, height };
          const grip = look.open ? laneGrip(stave, x, y, event.nativeEvent) : spanGrip(x, event.altKey);
          if (grip) event.currentTarget.setPointerCapture(event.pointerId);
          press.current?.begin(grip, x, y);
        }}
        onPointerMove={(event) => {
          const [x, y] = placeOf(event);
          if (!press.current?.move(x, y, event.nativeEvent)) sayHint(laneHint(kind.current, x));
        }}
        onPointerUp={(event) => press.current?.end(event.nativeEvent)}
        onPointerCancel={() => press.current?.drop()}
        onPointerLeave={() => sayHint("")}
      />
      <div className="pointer-events-none absolute inset-x-0 top-0 flex h-[18px] items-center gap-2 text-[12px]">
        <button
          type="button"
          aria-expanded={look.open}
          onClick={() => {
            // The lane that is opened is the one that is meant from now on.
            set({ about: look.open ? "velocity" : look.key });
            changeLane(look.key, { open: !look.open });
          }}
          style={{ width: GUTTER - 4 }}
          className="pointer-events-auto flex items-center gap-1 truncate pl-2 text-left font-medium hover:text-accent-deep"
          title={`${title}, ${name?.unit ?? ""}: ${look.open ? "fold it to a strip" : "open it"}\n${facts}${
            head && !head.leads_in ? "\nIt has no value before the first note." : ""
          }`}
        >
          <svg viewBox="0 0 8 8" className={`h-2 w-2 shrink-0 ${look.open ? "rotate-90" : ""}`} aria-hidden>
            <path
              d="M2 1l4 3-4 3z"
              fill={favourite?.dye ? `var(--color-${favourite.dye})` : "currentColor"}
            />
          </svg>
          <span className="truncate">{shortTitle(title)}</span>
        </button>
        {look.open && (
          <span className="rounded bg-sheet/85 px-1 text-faded">
            {title} · {facts}
            {name && ` · ${name.unit}`}
            {head && !head.leads_in && " · no value before the first note"}
          </span>
        )}
        {look.open && (
          <span className="pointer-events-auto ml-auto flex gap-0.5 bg-sheet/85 pr-2">
            <LaneButton
              label={`${title}: up`}
              disabled={isFirst}
              onClick={() => moveLane(look.key, -1)}
              path="M2 6l3-3 3 3"
            />
            <LaneButton
              label={`${title}: down`}
              disabled={isLast}
              onClick={() => moveLane(look.key, 1)}
              path="M2 4l3 3 3-3"
            />
            {favourite && <FavouriteLook favourite={favourite} title={titleOf(look.key, names)} />}
            <LaneButton
              label={favourite ? `${title}: no favourite any more` : `${title}: make it a favourite`}
              onClick={() => toggleFavourite(look.key)}
              path="M5 1l1.2 2.6 2.8.3-2.1 1.9.6 2.8L5 7.2 2.5 8.6l.6-2.8L1 3.9l2.8-.3z"
              filled={!!favourite}
            />
            {!head && (
              <LaneButton
                label={`${title}: take it off`}
                onClick={() => dropLane(look.key)}
                path="M2 2l6 6M8 2l-6 6"
              />
            )}
          </span>
        )}
      </div>
      {!look.open && (
        <span
          aria-hidden
          style={{ width: GUTTER - 10 }}
          className="pointer-events-none absolute bottom-px left-0 truncate pl-5 text-[11px] text-faded"
        >
          {facts}
        </span>
      )}
      {look.open && <FrameGrips laneKey={look.key} height={height} />}
      {look.open && <Tip stave={look.key} />}
      {look.open && (
        <Grips
          shapes={(stroke) => lanesOf(stroke).includes(look.key)}
          yOf={(_camera, value) => yOfValue(value, LANE_RANGE, height)}
          valueAt={(_camera, y) => valueOfY(y, LANE_RANGE, height)}
        />
      )}
      {look.open && (
        <HeightHandle
          title={title}
          height={height}
          onHeight={(tall) => changeLane(look.key, { height: tall })}
        />
      )}
    </div>
  );
}

/** On a strip a drag chooses a span, and nothing else. */
function spanGrip(x: number, free: boolean): Grip | null {
  if (x < GUTTER) return null;
  const choose = spanFrom(x, free);
  return { move: (to) => choose(to), done() {} };
}

/** In the gutter there is room for a word: the number, or the name where there is none. */
function shortTitle(title: string): string {
  const controller = title.match(/^CC (\d+) (.*)/);
  return controller ? `${controller[1]} ${controller[2]}` : title;
}

interface LaneButtonProps {
  label: string;
  path: string;
  onClick: () => void;
  disabled?: boolean;
  filled?: boolean;
}

function LaneButton({ label, path, onClick, disabled, filled }: LaneButtonProps) {
  return (
    <button
      type="button"
      aria-label={label}
      title={label}
      disabled={disabled}
      onClick={onClick}
      className="grid h-[18px] w-5 place-items-center rounded text-faded hover:text-ink disabled:opacity-30"
    >
      <svg viewBox="0 0 10 10" className="h-3 w-3" aria-hidden>
        <path d={path} fill={filled ? "currentColor" : "none"} stroke="currentColor" strokeWidth="1.2" />
      </svg>
    </button>
  );
}

/** A favourite's own label and dye, in every take of the account. */
function FavouriteLook({ favourite, title }: { favourite: Favourite; title: string }) {
  const change = (fields: Partial<Favourite>) => {
    const all = useDesk.getState().wishes.favourites ?? [];
    wish({ favourites: all.map((one) => (one.key === favourite.key ? { ...one, ...fields } : one)) });
  };
  return (
    <>
      <input
        aria-label={`Label of ${title}`}
        placeholder={title}
        defaultValue={favourite.label}
        maxLength={40}
        onBlur={(event) => change({ label: event.currentTarget.value.trim() })}
        onKeyDown={(event) => event.key === "Enter" && event.currentTarget.blur()}
        className="h-[18px] w-32 rounded border border-rule bg-sheet px-1"
      />
      <select
        aria-label={`Colour of ${title}`}
        value={favourite.dye}
        onChange={(event) => change({ dye: event.target.value })}
        className="h-[18px] rounded border border-rule bg-sheet"
      >
        {DYES.map((dye) => (
          <option key={dye}>{dye}</option>
        ))}
      </select>
    </>
  );
}

function toggleFavourite(key: string): void {
  const favourites = useDesk.getState().wishes.favourites ?? [];
  const isOne = favourites.some((one) => one.key === key);
  wish({
    favourites: isOne
      ? favourites.filter((one) => one.key !== key)
      : [...favourites, { key, label: "", dye: "madder" }],
  });
}

function HeightHandle({
  title,
  height,
  onHeight,
}: {
  title: string;
  height: number;
  onHeight: (height: number) => void;
}) {
  const limited = (value: number) => onHeight(Math.round(between(value, 60, 500)));
  return (
    // biome-ignore lint/a11y/useSemanticElements: a rule that is moved is a separator, not an hr
    <div
      role="separator"
      aria-orientation="horizontal"
      aria-label={`Height of ${title}`}
      aria-valuenow={height}
      aria-valuemin={60}
      aria-valuemax={500}
      tabIndex={0}
      className="absolute inset-x-0 bottom-0 h-1.5 cursor-row-resize touch-none hover:bg-rule-strong"
      onPointerDown={(event) => event.currentTarget.setPointerCapture(event.pointerId)}
      onPointerMove={(event) => {
        if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
        const box = event.currentTarget.parentElement?.getBoundingClientRect();
        if (box) limited(event.clientY - box.top);
      }}
      onKeyDown={(event) => {
        const by = { ArrowUp: -10, ArrowDown: 10 }[event.key];
        if (!by) return;
        event.preventDefault();
        event.stopPropagation();
        limited(height + by);
      }}
    />
  );
}

/** Search all lanes by number or name; favourites come first. */
function AddLane({ shown }: { shown: string[] }) {
  const [words, setWords] = useState<string | null>(null);
  const names = useDesk((state) => state.laneNames);
  const favourites = useDesk((state) => state.wishes.favourites ?? []);
  if (words === null) {
    return (
      <button
        type="button"
        className="h-7 px-3 text-[13px] text-faded hover:text-ink"
        onClick={() => setWords("")}
      >
        Add a lane …
      </button>
    );
  }
  const wanted = words.trim().toLowerCase();
  const isFavourite = (key: string) => favourites.some((one) => one.key === key);
  const found = names
    .filter((one) => !shown.includes(one.key))
    .map((one) => ({
      ...one,
      title: favourites.find((fav) => fav.key === one.key)?.label || titleOf(one.key, names),
    }))
    .filter((one) => `${one.title} ${one.name}`.toLowerCase().includes(wanted) || one.key === `cc:${wanted}`)
    .sort(
      (a, b) =>
        Number(isFavourite(b.key)) - Number(isFavourite(a.key)) || rank(a.key, wanted) - rank(b.key, wanted),
    );
  const add = (key: string) => {
    changeLane(key, { open: true });
    set({ about: key });
    setWords(null);
  };
  return (
    <form
      className="p-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (found.length) add(found[0].key);
      }}
    >
      <input
        // biome-ignore lint/a11y/noAutofocus: the player has just asked to type here
        autoFocus
        aria-label="Lane by number or name"
        placeholder="Number or name: 74, timbre, bend …"
        value={words}
        onChange={(event) => setWords(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && setWords(null)}
        className="entry w-72 text-left"
      />
      <ul className="mt-1.5 flex flex-wrap gap-1" aria-label="Lanes found">
        {found.slice(0, 14).map((one) => (
          <li key={one.key}>
            <button type="button" className="key h-6 px-2 text-[13px]" onClick={() => add(one.key)}>
              {one.title}
            </button>
          </li>
        ))}
        {!found.length && <li className="text-faded">No lane of that number or name.</li>}
      </ul>
    </form>
  );
}

/** A number asked for comes before all that merely contain it. */
function rank(key: string, wanted: string): number {
  return key === `cc:${wanted}` ? 0 : 1;
}
