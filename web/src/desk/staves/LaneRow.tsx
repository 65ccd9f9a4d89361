import { type PointerEvent, useEffect, useRef } from "react";
import type { LaneKind } from "../../api/client";
import { lanesOf } from "../../api/strokes";
import { BEND, formOf, slides, VELOCITY } from "../../score/lanes";
import type { PartScore } from "../../score/score";
import { late } from "../../ui/late";
import { between, rounded, signed } from "../../ui/numbers";
import { Press } from "../hand/grip";
import { hoverLane, hoverNothing } from "../hand/hints";
import { laneGrip } from "../hand/laneGestures";
import { endLaneKey, LANE_KEYS, laneKey, nodeInWords } from "../hand/laneKeys";
import { attachLaneWheel } from "../hand/laneSight";
import { spanGrip } from "../hand/spanGrip";
import { GUTTER } from "../page/camera";
import { bringToSight } from "../stage/laneSight";
import { attachLane, type LaneStave } from "../stage/laneStage";
import { changeLane, dropLane, type LaneLook, moveLane } from "../take/arranging";
import { desk, kindOf, leadPart, set, useDesk, useLevels } from "../take/state";
import { FaultMarks } from "./FaultMarks";
import { FavouriteLook, toggleFavourite } from "./Favourite";
import { Grips } from "./Grips";
import { OutOfSight } from "./OutOfSight";
import { Tip } from "./Tip";

const FrameGrips = late(async () => (await import("./FrameGrips")).FrameGrips);

const STRIP_HEIGHT = 34;

/** A lane of the leading part: a strip, or tall with its grips. */
export function LaneRow({ look, isFirst, isLast }: { look: LaneLook; isFirst: boolean; isLast: boolean }) {
  const kind = useDesk((state) => kindOf(look.key, state));
  const head = useDesk((state) => leadPart(state)?.lanes.find((lane) => lane.key === look.key));
  const title = useDesk((state) => titleOf(look.key, kind, state));
  const open = look.open ?? false;
  const height = open ? (look.height ?? 140) : STRIP_HEIGHT;
  const now: LaneStave = { kind, form: formOf(kind, head), open, height };
  const scale = useLevels(kind, height);
  // A lane that is opened, or added as the one that is meant, is seen whole wherever it lies among the others.
  const wasOpen = useRef(open && desk().activeLane !== look.key);
  useEffect(() => {
    if (open && !wasOpen.current) bringToSight(look.key);
    wasOpen.current = open;
  }, [open, look.key]);
  const range = head && `${signed(head.lowest)} to ${signed(head.highest)}`;
  const facts = head ? `${head.nodes.toLocaleString("en-GB")} · ${range}` : "no data";
  return (
    <div className="relative border-b border-rule" style={{ height }} data-lane={look.key}>
      <LaneCanvas now={now} facts={head ? `${head.nodes} nodes, ${range}` : "no data"} />
      <LaneHead {...{ look, kind, head, facts, isFirst, isLast }} />
      {!open && (
        <span
          aria-hidden
          style={{ width: GUTTER - 10 }}
          className="pointer-events-none absolute bottom-px left-0 truncate pl-5 text-[11px] text-faded"
        >
          {facts}
        </span>
      )}
      {head && <OutOfSight laneKey={look.key} />}
      {open && slides(now.form) && <FrameGrips kind={kind} height={height} />}
      {open && head && <FaultMarks laneKey={look.key} />}
      {open && <Tip stave={look.key} />}
      {open && <SpokenNode stave={now} />}
      {open && <Grips shapes={(stroke) => lanesOf(stroke).includes(look.key)} scale={scale} />}
      {open && (
        <HeightHandle
          title={title}
          height={height}
          onHeight={(tall) => changeLane(look.key, { height: tall })}
        />
      )}
    </div>
  );
}

const titleOf = (key: string, kind: LaneKind, state: ReturnType<typeof desk>) =>
  state.wishes.favourites?.find((one) => one.key === key)?.label || kind.title;

function LaneCanvas({ now, facts }: { now: LaneStave; facts: string }) {
  const { kind, open } = now;
  const title = useDesk((state) => titleOf(kind.key, kind, state));
  const canvas = useRef<HTMLCanvasElement>(null);
  const stave = useRef(now);
  stave.current = now;
  useEffect(() => attachLane(canvas.current as HTMLCanvasElement, () => stave.current), []);
  useEffect(() => attachLaneWheel(canvas.current as HTMLCanvasElement, () => stave.current), []);
  const press = useRef<Press | null>(null);
  press.current ??= new Press(true);
  useEffect(() => press.current?.watchEscape(), []);
  const placeOf = (event: PointerEvent<HTMLElement>): [number, number] => {
    const box = event.currentTarget.getBoundingClientRect();
    return [event.clientX - box.left, event.clientY - box.top];
  };
  return (
    <canvas
      ref={canvas}
      tabIndex={open ? 0 : -1}
      aria-label={`${title} of the leading part: ${facts}`}
      aria-description={open ? LANE_KEYS : undefined}
      className="block h-full w-full touch-none"
      onKeyDown={(event) => {
        if (!open || event.ctrlKey || event.metaKey || event.altKey) return;
        if (laneKey(now, event.key, event.shiftKey)) event.preventDefault();
      }}
      onKeyUp={endLaneKey}
      onPointerDown={(event) => {
        if (event.button !== 0) return;
        const [x, y] = placeOf(event);
        const of = (pressed: globalThis.PointerEvent) =>
          open ? laneGrip(now, x, y, pressed) : spanGrip(x, pressed.altKey);
        if (press.current?.begin(of, x, y, event.nativeEvent))
          event.currentTarget.setPointerCapture(event.pointerId);
        if (event.pointerType === "touch") hoverLane(now, x, y);
      }}
      onPointerMove={(event) => {
        const [x, y] = placeOf(event);
        if (!press.current?.move(x, y, event.nativeEvent)) hoverLane(now, x, y);
      }}
      onPointerUp={(event) => press.current?.end(event.nativeEvent)}
      onPointerCancel={() => press.current?.drop()}
      onPointerLeave={hoverNothing}
    />
  );
}

interface LaneHeadProps {
  look: LaneLook;
  kind: LaneKind;
  head: PartScore["lanes"][number] | undefined;
  facts: string;
  isFirst: boolean;
  isLast: boolean;
}

/** The lane's name, what it holds, and where it stands among the others. */
function LaneHead({ look, kind, head, facts, isFirst, isLast }: LaneHeadProps) {
  const open = look.open ?? false;
  const favourite = useDesk((state) => state.wishes.favourites?.find((one) => one.key === look.key));
  const title = favourite?.label || kind.title;
  const reach = useDesk((state) => (look.key === BEND ? rangeInWords(leadPart(state)) : ""));
  const silent = head && !head.leads_in;
  return (
    <div
      className={`pointer-events-none absolute inset-x-0 top-0 flex items-center gap-2 text-[12px] ${open ? "h-6" : "h-[18px]"}`}
    >
      <button
        type="button"
        aria-expanded={open}
        onClick={() => {
          // The lane that is opened is the one that is meant from now on.
          set({ activeLane: open ? VELOCITY : look.key });
          changeLane(look.key, { open: !open });
        }}
        style={{ width: GUTTER - 4 }}
        className="pointer-events-auto flex h-6 items-start gap-1 truncate self-start pt-px pl-2 text-left font-medium hover:text-accent-deep"
        title={`${title}, ${kind.unit}: ${open ? "fold it to a strip" : "open it"}\n${facts}${
          silent ? "\nIt has no value before the first note." : ""
        }`}
      >
        <svg viewBox="0 0 8 8" className={`mt-1.5 h-2 w-2 shrink-0 ${open ? "rotate-90" : ""}`} aria-hidden>
          <path d="M2 1l4 3-4 3z" fill={favourite?.dye ? `var(--color-${favourite.dye})` : "currentColor"} />
        </svg>
        <span className="truncate">{favourite?.label || shortTitle(kind)}</span>
      </button>
      {open && (
        <span className="rounded bg-sheet/85 px-1 text-faded">
          {title} · {facts}
          {` · ${kind.unit}${reach}`}
          {silent && " · no value before the first note"}
        </span>
      )}
      {open && <LaneButtons {...{ laneKey: look.key, kind, isFirst, isLast }} isEmpty={!head} />}
    </div>
  );
}

interface LaneButtonsProps {
  laneKey: string;
  kind: LaneKind;
  isFirst: boolean;
  isLast: boolean;
  isEmpty: boolean;
}

function LaneButtons({ laneKey, kind, isFirst, isLast, isEmpty }: LaneButtonsProps) {
  const favourite = useDesk((state) => state.wishes.favourites?.find((one) => one.key === laneKey));
  const title = favourite?.label || kind.title;
  return (
    <span className="pointer-events-auto ml-auto flex gap-0.5 bg-sheet/85 pr-2">
      <LaneButton
        label={`${title}: up`}
        disabled={isFirst}
        onClick={() => moveLane(laneKey, -1)}
        path="M2 6l3-3 3 3"
      />
      <LaneButton
        label={`${title}: down`}
        disabled={isLast}
        onClick={() => moveLane(laneKey, 1)}
        path="M2 4l3 3 3-3"
      />
      {favourite && <FavouriteLook favourite={favourite} title={kind.title} />}
      <LaneButton
        label={favourite ? `${title}: no favourite any more` : `${title}: make it a favourite`}
        onClick={() => toggleFavourite(laneKey)}
        path="M5 1l1.2 2.6 2.8.3-2.1 1.9.6 2.8L5 7.2 2.5 8.6l.6-2.8L1 3.9l2.8-.3z"
        filled={!!favourite}
      />
      {isEmpty ? (
        <LaneButton
          label={`${title}: take it off`}
          onClick={() => dropLane(laneKey)}
          path="M2 2l6 6M8 2l-6 6"
        />
      ) : (
        <LaneButton
          label={`${title}: hide`}
          onClick={() => {
            set({ activeLane: VELOCITY });
            changeLane(laneKey, { open: false, hidden: true });
          }}
          path="M1 5h8"
        />
      )}
    </span>
  );
}

/** The node that keys have come to, for those who do not see it. */
function SpokenNode({ stave }: { stave: LaneStave }) {
  useDesk((state) => state.shaping?.stroke);
  return (
    <p className="sr-only" aria-live="polite">
      {nodeInWords(stave)}
    </p>
  );
}

/** How far the wheel of a part goes. */
function rangeInWords(part: PartScore | undefined): string {
  const steps = part?.bendRange ?? [];
  const ranged = [...new Set(steps.map(([, semitones]) => `±${rounded(semitones)}`))].slice(0, 3).join(", ");
  return ` · range ${ranged}${part?.byHand ? " set by hand" : ""}`;
}

/** In the gutter there is room for a word: the number, or the name where there is none. */
const shortTitle = ({ number, name }: LaneKind) => (number === null ? name : `${number} ${name}`);

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
      className="grid h-6 w-6 place-items-center rounded text-faded hover:text-ink disabled:opacity-30"
    >
      <svg viewBox="0 0 10 10" className="h-3 w-3" aria-hidden>
        <path d={path} fill={filled ? "currentColor" : "none"} stroke="currentColor" strokeWidth="1.2" />
      </svg>
    </button>
  );
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
