interface Props {
  /** From 0 to 1; null: nobody knows how much there is. */
  share: number | null;
  label: string;
  className?: string;
}

/** How far something has come. */
export function Progress({ share, label, className = "" }: Props) {
  const known = share === null ? {} : { "aria-valuenow": Math.round(share * 100) };
  return (
    <div
      role="progressbar"
      aria-label={label}
      aria-valuemin={0}
      aria-valuemax={100}
      {...known}
      className={`h-1.5 overflow-hidden rounded-full bg-rule ${className}`}
    >
      <div
        className={`h-full rounded-full bg-accent ${share === null ? "progress-unknown w-1/5" : "transition-[width]"}`}
        style={share === null ? undefined : { width: `${share * 100}%` }}
      />
    </div>
  );
}
