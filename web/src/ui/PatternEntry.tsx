import type { KeyboardEvent, PointerEvent } from "react";
import { between } from "./numbers";

interface Props {
  pattern: readonly number[];
  onTry: (pattern: number[]) => void;
  onKeep: (pattern: number[]) => void;
}

const rounded = (value: number) => Math.round(between(value, -1, 1) * 20) / 20;

/** The steps of a bar as upright bars about a middle line: drag across them, or step through them with the arrow keys. */
export function PatternEntry({ pattern, onTry, onKeep }: Props) {
  const changed = (step: number, value: number) =>
    pattern.map((old, index) => (index === step ? rounded(value) : old));
  const draw = (event: PointerEvent<HTMLElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    const box = event.currentTarget.getBoundingClientRect();
    const step = Math.floor(((event.clientX - box.left) / box.width) * pattern.length);
    if (step < 0 || step >= pattern.length) return;
    onTry(changed(step, 1 - (2 * (event.clientY - box.top)) / box.height));
  };
  const press = (event: KeyboardEvent, step: number) => {
    const by = { ArrowUp: 0.05, ArrowDown: -0.05, PageUp: 0.25, PageDown: -0.25 }[event.key];
    if (!by) return;
    event.preventDefault();
    event.stopPropagation();
    onKeep(changed(step, pattern[step]! + by));
  };
  return (
    <fieldset aria-label="Pattern of the bar" className="col-span-2">
      <div
        className="relative flex h-16 touch-none gap-px rounded border border-rule-strong bg-paper p-px"
        onPointerDown={(event) => {
          event.currentTarget.setPointerCapture(event.pointerId);
          draw(event);
        }}
        onPointerMove={draw}
        onPointerUp={() => onKeep([...pattern])}
      >
        <span aria-hidden className="pointer-events-none absolute inset-x-0 top-1/2 h-px bg-rule-strong" />
        {pattern.map((value, step) => (
          <span
            key={step}
            role="slider"
            tabIndex={0}
            aria-label={`Step ${step + 1}`}
            aria-orientation="vertical"
            aria-valuenow={value}
            aria-valuemin={-1}
            aria-valuemax={1}
            title={`Step ${step + 1}: ${Math.round(value * 100)}%`}
            onKeyDown={(event) => press(event, step)}
            className="relative flex-1"
          >
            <span
              className="absolute inset-x-0 min-h-[3px] bg-accent"
              style={
                value >= 0
                  ? { bottom: "50%", height: `${value * 50}%` }
                  : { top: "50%", height: `${-value * 50}%` }
              }
            />
          </span>
        ))}
      </div>
    </fieldset>
  );
}
