interface Props {
  label: string;
  name: string;
  maxLength: number;
  className: string;
  /** Whether the player has just asked to type here. */
  asked?: boolean;
  onDone: (typed: string) => void;
}

/** A name being typed: Enter and leaving keep it, Escape brings back what it was. */
export function NameEntry({ label, name, maxLength, className, asked = false, onDone }: Props) {
  return (
    <input
      aria-label={label}
      defaultValue={name}
      maxLength={maxLength}
      // biome-ignore lint/a11y/noAutofocus: only where the player has just asked to type here
      autoFocus={asked}
      onFocus={(event) => asked && event.currentTarget.select()}
      onBlur={(event) => onDone(event.currentTarget.value.trim())}
      onKeyDown={(event) => {
        if (event.key === "Escape") event.currentTarget.value = name;
        if (event.key === "Escape" || event.key === "Enter") event.currentTarget.blur();
      }}
      className={`entry text-left ${className}`}
    />
  );
}
