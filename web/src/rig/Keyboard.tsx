/** The practice rig as it is played: keys, two wheels, pressure and a pedal. */
import { type PointerEvent, useEffect, useRef } from "react";
import { noteName } from "../desk/take/arranging";
import { useDesk } from "../desk/take/state";
import { Check } from "../ui/Entries";
import * as rig from "./rig";
import { useRig } from "./rig";

const KEYS = 25;
const BLACK = new Set([1, 3, 6, 8, 10]);
/** One row of letters strikes, the row above strikes hard: C D E F G A B C D E; Shift raises by a half step. */
const STEPS = [0, 2, 4, 5, 7, 9, 11, 12, 14, 16];
const ROW = ["KeyA", "KeyS", "KeyD", "KeyF", "KeyG", "KeyH", "KeyJ", "KeyK", "KeyL", "Semicolon"];
const HARD_ROW = ["KeyQ", "KeyW", "KeyE", "KeyR", "KeyT", "KeyY", "KeyU", "KeyI", "KeyO", "KeyP"];
const HARDER = 32;
const FINGERS = 1000;

export function Keyboard() {
  const { down, octave, wheel, modulation, pressure, typing } = useRig();
  useTyping(typing);
  const lowest = 12 * (octave + 1) - 12;
  return (
    <div className="flex min-w-0 flex-1 gap-4">
      <div className="flex gap-3 text-center text-[12px] text-faded">
        <Wheel label="Bend" low={-1} high={1} value={wheel} springs onMove={rig.bend} />
        <Wheel
          label="Mod"
          low={0}
          high={127}
          value={modulation}
          onMove={(value) => rig.modulate(Math.round(value))}
        />
        <Wheel
          label="Press"
          low={0}
          high={127}
          value={pressure}
          springs
          onMove={(value) => rig.squeeze(Math.round(value))}
        />
      </div>
      <div className="flex min-w-0 flex-1 flex-col gap-1.5">
        <Settings lowest={lowest} />
        <Keys lowest={lowest} down={down} />
      </div>
    </div>
  );
}

/** Where the keys begin, and how they are played. */
function Settings({ lowest }: { lowest: number }) {
  const { pedal, perNote, typing, force } = useRig();
  return (
    <div className="flex flex-wrap items-center gap-x-4 gap-y-1 text-[13px]">
      <Octave lowest={lowest} />
      <Check
        words="Letters play"
        title="A S D F … are the white keys, Q W E R … the same struck hard, Shift a half step up"
        on={typing}
        onChange={(on) => useRig.setState({ typing: on })}
      />
      {typing && (
        <label className="flex items-center gap-1.5 text-faded">
          Force
          <input
            type="range"
            min={1}
            max={127}
            value={force}
            onChange={(event) => useRig.setState({ force: Number(event.target.value) })}
            className="w-20 accent-ink"
          />
        </label>
      )}
      <Check
        words="Notes of their own"
        title="Each finger bends and brightens its own note: sideways and up"
        on={perNote}
        onChange={(on) => useRig.setState({ perNote: on })}
      />
      <button
        type="button"
        aria-pressed={pedal}
        className="key h-6 px-3 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet"
        onClick={() => rig.tread(!pedal)}
      >
        Pedal
      </button>
    </div>
  );
}

function Octave({ lowest }: { lowest: number }) {
  const octave = useRig((state) => state.octave);
  return (
    <span className="flex items-center gap-1">
      <button
        type="button"
        className="key h-6 w-7 px-0"
        aria-label="An octave lower"
        disabled={octave <= 1}
        onClick={() => useRig.setState({ octave: octave - 1 })}
      >
        −
      </button>
      <span className="w-16 text-center" aria-live="polite">
        {`from ${noteName(lowest)}`}
      </span>
      <button
        type="button"
        className="key h-6 w-7 px-0"
        aria-label="An octave higher"
        disabled={octave >= 7}
        onClick={() => useRig.setState({ octave: octave + 1 })}
      >
        +
      </button>
    </span>
  );
}

/** Keys under fingers and pens: where one is pressed is how hard, lower is harder; a pen's own pressure where it has one. */
function useFingers() {
  const held = useRef(new Map<number, { x: number; y: number; wide: number; high: number; pitch: number }>());
  const keyUnder = (event: PointerEvent) => {
    const found = document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>("[data-key]");
    return found ? { pitch: Number(found.dataset.key), box: found.getBoundingClientRect() } : null;
  };
  const press = (event: PointerEvent) => {
    const key = keyUnder(event);
    if (!key) return;
    event.preventDefault();
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
    const { box, pitch } = key;
    const low = (event.clientY - box.top) / box.height;
    const force = event.pointerType === "pen" && event.pressure ? event.pressure : 0.15 + 0.85 * low;
    held.current.set(event.pointerId, {
      x: event.clientX,
      y: event.clientY,
      wide: box.width,
      high: box.height,
      pitch,
    });
    rig.press(event.pointerId, pitch, force * 127, event.timeStamp);
  };
  const move = (event: PointerEvent) => {
    const from = held.current.get(event.pointerId);
    if (!from) return;
    if (useRig.getState().perNote) {
      const pressure = event.pointerType === "mouse" ? null : event.pressure;
      rig.slide(
        event.pointerId,
        (event.clientX - from.x) / from.wide,
        (from.y - event.clientY) / from.high,
        pressure,
      );
      return;
    }
    // Slid to another key, that one is struck.
    const key = keyUnder(event);
    if (key && key.pitch !== from.pitch) {
      held.current.set(event.pointerId, { ...from, pitch: key.pitch });
      rig.press(event.pointerId, key.pitch, 80, event.timeStamp);
    }
  };
  const lift = (event: PointerEvent) => {
    if (held.current.delete(event.pointerId)) rig.release(event.pointerId, event.timeStamp);
  };
  useEffect(() => () => rig.releaseAll(), []);
  return { onPointerDown: press, onPointerMove: move, onPointerUp: lift, onPointerCancel: lift };
}

function Keys({ lowest, down }: { lowest: number; down: readonly number[] }) {
  const fingers = useFingers();
  return (
    <fieldset
      className="relative flex min-h-16 flex-1 touch-none rounded-b-md border border-rule-strong bg-sheet select-none"
      {...fingers}
      aria-label="Keys"
    >
      {Array.from({ length: KEYS }, (_, step) => lowest + step).map((pitch) => (
        <Key key={pitch} pitch={pitch} isDown={down.includes(pitch)} />
      ))}
    </fieldset>
  );
}

function Key({ pitch, isDown }: { pitch: number; isDown: boolean }) {
  const black = BLACK.has(pitch % 12);
  const wishes = useDesk((state) => state.wishes);
  const finger = FINGERS + pitch;
  const label = wishes ? noteName(pitch) : "";
  return (
    <button
      type="button"
      data-key={pitch}
      aria-label={label}
      aria-pressed={isDown}
      onKeyDown={(event) => {
        if ((event.key === "Enter" || event.key === " ") && !event.repeat) {
          event.preventDefault();
          rig.press(finger, pitch, useRig.getState().force);
        }
      }}
      onKeyUp={() => rig.release(finger)}
      onBlur={() => rig.release(finger)}
      tabIndex={pitch % 12 === 0 ? 0 : -1}
      className={
        black
          ? "relative z-10 -mx-[1.1%] h-[62%] w-[2.2%] shrink-0 rounded-b border border-ink bg-ink aria-pressed:bg-accent"
          : "relative flex h-full flex-1 items-end justify-center rounded-b border-r border-rule pb-1 text-[11px] text-faded last:border-r-0 aria-pressed:bg-accent-wash"
      }
    >
      {!black && pitch % 12 === 0 ? label : ""}
    </button>
  );
}

interface WheelProps {
  label: string;
  low: number;
  high: number;
  value: number;
  /** It goes back to its rest when it is let go. */
  springs?: boolean;
  onMove: (value: number) => void;
}

function Wheel({ label, low, high, value, springs = false, onMove }: WheelProps) {
  const back = () => {
    if (springs && value !== 0) onMove(0);
  };
  return (
    <label className="flex flex-col items-center gap-1">
      <input
        type="range"
        min={low}
        max={high}
        step={(high - low) / 400}
        value={value}
        aria-label={label === "Press" ? "Pressure" : label === "Mod" ? "Mod wheel" : "Bend wheel"}
        onChange={(event) => onMove(Number(event.target.value))}
        onPointerUp={back}
        onKeyUp={back}
        onBlur={back}
        className="h-28 w-6 accent-ink [direction:rtl] [writing-mode:vertical-lr]"
      />
      {label}
    </label>
  );
}

/** Letters play while that is asked for: before any other key of the desk is looked at. */
function useTyping(on: boolean): void {
  useEffect(() => {
    if (!on) return;
    const keyOf = (event: KeyboardEvent): { pitch: number; hard: boolean } | null => {
      const row = ROW.indexOf(event.code);
      const hard = HARD_ROW.indexOf(event.code);
      if (row < 0 && hard < 0) return null;
      const step = STEPS[row >= 0 ? row : hard]! + (event.shiftKey ? 1 : 0);
      return { pitch: 12 * (useRig.getState().octave + 1) + step, hard: hard >= 0 };
    };
    const finger = (event: KeyboardEvent) =>
      2 * FINGERS + event.code.charCodeAt(3) + 100 * Number(event.code === "Semicolon");
    const press = (event: KeyboardEvent) => {
      const typing = (event.target as HTMLElement).closest(
        "input:not([type=range],[type=checkbox]),textarea,select",
      );
      const key = event.ctrlKey || event.metaKey || event.altKey || typing ? null : keyOf(event);
      if (!key) return;
      event.preventDefault();
      event.stopPropagation();
      if (event.repeat) return;
      const { force } = useRig.getState();
      rig.press(finger(event), key.pitch, key.hard ? force + HARDER : force, event.timeStamp);
    };
    const lift = (event: KeyboardEvent) => rig.release(finger(event), event.timeStamp);
    window.addEventListener("keydown", press, true);
    window.addEventListener("keyup", lift, true);
    window.addEventListener("blur", rig.releaseAll);
    return () => {
      rig.releaseAll();
      window.removeEventListener("keydown", press, true);
      window.removeEventListener("keyup", lift, true);
      window.removeEventListener("blur", rig.releaseAll);
    };
  }, [on]);
}
