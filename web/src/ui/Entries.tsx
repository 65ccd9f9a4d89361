/** Entries that several forms share, each with its words. */
import type { ReactNode } from "react";
import { Choice } from "./Choice";

export function Check({
  words,
  title,
  on,
  onChange,
}: {
  words: ReactNode;
  title?: string;
  on: boolean;
  onChange: (on: boolean) => void;
}) {
  return (
    <label className="flex min-h-6 items-center gap-1.5" title={title}>
      <input
        type="checkbox"
        checked={on}
        className="accent-ink"
        onChange={(event) => onChange(event.target.checked)}
      />
      <span>{words}</span>
    </label>
  );
}

interface ListProps {
  label: string;
  /** What it is called where the label alone does not say it. */
  called?: string;
  value: string | number;
  className?: string;
  onChange: (value: string) => void;
  children: ReactNode;
}

/** One of many, in a list that drops down. */
export function List({ label, called, value, className = "", onChange, children }: ListProps) {
  return (
    <label className={`flex items-center justify-between gap-2 ${className}`}>
      <span className="text-faded">{label}</span>
      <select
        aria-label={called ?? label}
        value={value}
        className="entry max-w-44 text-left"
        onChange={(event) => onChange(event.target.value)}
      >
        {children}
      </select>
    </label>
  );
}

interface TurnsProps {
  label: string;
  turns: boolean;
  className?: string;
  hotkey?: string;
  onChange: (turns: boolean) => void;
}

/** Whether a ramp goes one way, or there and back. */
export function Turns({ label, turns, className, hotkey, onChange }: TurnsProps) {
  return (
    <Choice
      label={label}
      className={className}
      hotkey={hotkey}
      value={turns ? "turns" : "through"}
      options={[
        ["through", "one way"],
        ["turns", "there and back"],
      ]}
      onChange={(way) => onChange(way === "turns")}
    />
  );
}
