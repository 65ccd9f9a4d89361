import { useEffect, useId, useRef, useState } from "react";
import { between, rounded, typedNumber } from "./numbers";

interface Props {
  label: string;
  /** Null: none is given, and what that means is shown in its place. */
  value: number | null;
  onTry?: (value: number) => void;
  onKeep?: (value: number) => void;
  /** May be left empty: what is then shown, and what is told. */
  absent?: { shown: string; onTry: () => void; onKeep: () => void };
  problem?: boolean;
  step?: number;
  /** What it is where nobody says anything: a double click on the label takes it. */
  usual?: number | null;
  /** What it takes; the steps of the arrow keys stay within. */
  limits?: readonly [number, number];
  className?: string;
}

const PIXELS_A_STEP = 4;

/** By how many steps a key or a drag goes: ten with Shift, a tenth with Alt. */
const times = (event: { shiftKey: boolean; altKey: boolean }) =>
  event.shiftKey ? 10 : event.altKey ? 0.1 : 1;

type TypedProps = Required<Pick<Props, "step" | "limits">> &
  Pick<Props, "value" | "onTry" | "onKeep" | "absent">;

/** What is typed into an entry, and what becomes of it. */
function useTyped({ value, onTry, onKeep, absent, step, limits }: TypedProps) {
  const shown = value === null ? "" : format(value);
  const [text, setText] = useState(shown);
  const [typing, setTyping] = useState(false);
  useEffect(() => {
    if (!typing) setText(shown);
  }, [shown, typing]);

  // A share may be typed in hundredths: 50% is 0.5.
  const parse = (typed: string) => numberIn(typed, step < 1);
  const parsed = parse(text);
  const isAbsent = absent !== undefined && text.trim() === "";
  const tried = (next: string) => {
    setTyping(true);
    setText(next);
    const number = parse(next);
    if (number !== null) onTry?.(number);
    else if (next.trim() === "") absent?.onTry();
  };
  const finish = () => {
    if (!typing) return;
    setTyping(false);
    if (isAbsent) absent.onKeep();
    else if (parsed === null) setText(shown);
    else onKeep?.(parsed);
  };
  const stepped = (from: number, steps: number) => {
    tried(format(between(rounded(from + steps * step), ...limits)));
  };
  const takeBack = () => {
    setTyping(false);
    setText(shown);
  };
  return { text, typing, parsed, isAbsent, tried, finish, stepped, takeBack };
}

/**
 * A number with its label. What is typed is tried at once and kept with Enter or on leaving; Escape takes it back. The
 * arrow keys step it, a drag on the label goes through it, and a double click there takes what is usual.
 */
export function NumberEntry({
  label,
  value,
  onTry,
  onKeep,
  absent,
  problem,
  step = 1,
  usual,
  limits = [Number.NEGATIVE_INFINITY, Number.POSITIVE_INFINITY],
  className = "",
}: Props) {
  const id = useId();
  const entry = useTyped({ value, onTry, onKeep, absent, step, limits });
  const { text, typing, parsed, isAbsent, tried, finish, stepped, takeBack } = entry;
  return (
    <label htmlFor={id} className={`flex items-center justify-between gap-2 ${className}`}>
      <DragLabel
        label={label}
        from={parsed}
        onSteps={stepped}
        onDone={finish}
        onUsual={() => {
          if (typeof usual === "number") onKeep?.(usual);
        }}
      />
      <input
        id={id}
        inputMode="decimal"
        autoComplete="off"
        aria-invalid={problem || (parsed === null && !isAbsent)}
        placeholder={absent?.shown}
        value={text}
        className="entry max-w-16"
        onChange={(event) => {
          tried(event.target.value);
        }}
        onBlur={finish}
        onKeyDown={(event) => {
          if (event.key === "Enter") finish();
          if (event.key === "Escape" && typing) {
            event.preventDefault();
            takeBack();
          }
          const by = { ArrowUp: 1, ArrowDown: -1 }[event.key];
          if (by && parsed !== null) {
            event.preventDefault();
            stepped(parsed, by * times(event));
          }
        }}
      />
    </label>
  );
}

interface DragProps {
  label: string;
  from: number | null;
  onSteps: (from: number, steps: number) => void;
  onDone: () => void;
  onUsual: () => void;
}

/** A label that is dragged through the numbers of its entry. */
function DragLabel({ label, from, onSteps, onDone, onUsual }: DragProps) {
  const drag = useRef<{ x: number; from: number; moved: boolean } | null>(null);
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: what a drag does here the arrow keys do in the entry
    <span
      className="cursor-ew-resize touch-none text-faded"
      onPointerDown={(event) => {
        if (from === null || event.button !== 0) return;
        event.currentTarget.setPointerCapture(event.pointerId);
        drag.current = { x: event.clientX, from, moved: false };
      }}
      onPointerMove={(event) => {
        const held = drag.current;
        if (!held) return;
        const steps = Math.round((event.clientX - held.x) / PIXELS_A_STEP);
        held.moved ||= steps !== 0;
        if (held.moved) onSteps(held.from, steps * times(event));
      }}
      onPointerUp={() => {
        const { moved } = drag.current ?? {};
        drag.current = null;
        if (moved) onDone();
      }}
      onPointerCancel={() => {
        drag.current = null;
      }}
      onDoubleClick={onUsual}
    >
      {label}
    </span>
  );
}

function numberIn(text: string, isShare: boolean): number | null {
  const plain = typedNumber(text);
  const number = isShare && plain.endsWith("%") ? plain.slice(0, -1).trim() : plain;
  if (!/^[+-]?(\d+\.?\d*|\.\d+)$/.test(number)) return null;
  return number === plain ? Number(number) : rounded(Number(number) / 100);
}

function format(value: number): string {
  return String(rounded(value));
}
