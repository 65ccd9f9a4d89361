import { type KeyboardEvent, type PointerEvent, type ReactNode, useRef } from "react";
import { holdPhrase, releasePhrase } from "../take/hearing";
import { letGo } from "../take/shaping";

const STEPS: Record<string, number> = {
  ArrowUp: 1,
  ArrowRight: 1,
  ArrowDown: -1,
  ArrowLeft: -1,
  PageUp: 10,
  PageDown: -10,
};

/** So far apart at least that none hides another. */
const APART = 24;

/** Places of grips, moved along the stave where they would lie on each other; those named first keep theirs. */
export function apart<G extends { left: number; top: number }>(grips: readonly G[]): G[] {
  const placed: G[] = [];
  for (const grip of grips) {
    let { left } = grip;
    // From left to right, each asked once: one that was passed is never met again, whatever rounding does.
    for (const other of [...placed].sort((a, b) => a.left - b.left))
      if (Math.abs(other.left - left) < APART && Math.abs(other.top - grip.top) < APART)
        left = other.left + APART;
    placed.push({ ...grip, left });
  }
  return placed;
}

interface Props {
  label: string;
  value: number;
  range?: readonly [number, number];
  sideways?: boolean;
  /** A name for it on the page, as `data-grip`. */
  name: string;
  /** Where its middle lies on the stave. */
  place: { left: number; top: number };
  className: string;
  title?: string;
  /** Dragged to a place on the stave. */
  onMove: (x: number, y: number, free: boolean) => void;
  onStep: (steps: number) => void;
  /** The button or the key is up: what it has come to is meant. */
  onRelease: () => void;
  children?: ReactNode;
}

/** A grip on a stave, for pointer and keys alike: what it changes is heard while it moves, and Escape lets go of it all. */
export function StaveGrip(props: Props) {
  const { label, value, range, sideways, name, place, className, title, onMove, onStep, onRelease } = props;
  const pointer = useRef<number | null>(null);
  const hold = (event: PointerEvent<HTMLElement>) => {
    pointer.current = event.pointerId;
    event.currentTarget.setPointerCapture(event.pointerId);
  };
  const drag = (event: PointerEvent<HTMLElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const box = event.currentTarget.parentElement?.getBoundingClientRect();
    if (!box) return;
    onMove(event.clientX - box.left, event.clientY - box.top, event.altKey);
    holdPhrase();
  };
  /** Let go by key while the button is still down: what the pointer does from here on is nothing. */
  const drop = (control: HTMLElement) => {
    const held = pointer.current;
    if (held !== null && control.hasPointerCapture(held)) control.releasePointerCapture(held);
    pointer.current = null;
    releasePhrase();
    letGo();
  };
  const press = (event: KeyboardEvent<HTMLElement>) => {
    if (event.key === "Escape") drop(event.currentTarget);
    const steps = STEPS[event.key];
    if (!steps) return;
    event.preventDefault();
    event.stopPropagation();
    onStep(steps);
    holdPhrase();
  };
  const release = () => {
    releasePhrase();
    onRelease();
  };
  return (
    <div
      role="slider"
      tabIndex={0}
      aria-label={label}
      aria-orientation={sideways ? "horizontal" : "vertical"}
      aria-valuenow={value}
      aria-valuemin={range?.[0]}
      aria-valuemax={range?.[1]}
      title={title}
      data-grip={name}
      style={place}
      onPointerDown={hold}
      onPointerMove={drag}
      onPointerUp={release}
      onPointerCancel={releasePhrase}
      onKeyDown={press}
      onKeyUp={(event) => event.key in STEPS && release()}
      onBlur={releasePhrase}
      className={`pointer-events-auto absolute -mt-2.5 -ml-2.5 h-5 w-5 touch-none border-accent bg-sheet hover:bg-accent-wash ${className}`}
    >
      {props.children}
    </div>
  );
}
