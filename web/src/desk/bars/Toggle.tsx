import { Switch } from "radix-ui";

/** On or off. */
export function Toggle({
  on,
  label,
  onChange,
}: {
  on: boolean;
  label: string;
  onChange: (on: boolean) => void;
}) {
  return (
    <Switch.Root
      checked={on}
      onCheckedChange={onChange}
      aria-label={label}
      className="relative h-4 w-7 shrink-0 rounded-full after:absolute after:-inset-y-1 after:-inset-x-0.5 border border-faded bg-paper data-[state=checked]:border-ink data-[state=checked]:bg-ink"
    >
      <Switch.Thumb className="block h-2.5 w-2.5 translate-x-0.5 rounded-full bg-faded transition-transform data-[state=checked]:translate-x-[13px] data-[state=checked]:bg-sheet" />
    </Switch.Root>
  );
}
