import { ToggleGroup } from "radix-ui";

interface Props<T extends string> {
  label: string;
  value: T;
  options: readonly (readonly [T, string])[];
  onChange: (value: T) => void;
  className?: string;
  /** The key that turns it, shown beside it. */
  hotkey?: string;
}

/** One of a few words. */
export function Choice<T extends string>({
  label,
  value,
  options,
  onChange,
  className = "",
  hotkey,
}: Props<T>) {
  return (
    <div className={`flex items-center justify-between gap-2 ${className}`}>
      <span className="choice-label text-faded">
        {label}
        {hotkey && (
          <kbd className="ml-1 rounded border border-rule-strong px-1 font-sans text-[10.5px]">{hotkey}</kbd>
        )}
      </span>
      <ToggleGroup.Root
        type="single"
        aria-label={label}
        value={value}
        onValueChange={(chosen: string) => chosen && onChange(chosen as T)}
        className="flex rounded border border-rule-strong"
      >
        {options.map(([option, name]) => (
          <ToggleGroup.Item
            key={option}
            value={option}
            className="h-6 px-2 first:rounded-l last:rounded-r data-[state=on]:bg-ink data-[state=on]:text-sheet"
          >
            {name}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </div>
  );
}
