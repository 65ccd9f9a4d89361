const isMac = /Mac|iPhone|iPad/.test(navigator.platform);
const SIGNS: Record<string, string> = {
  Mod: isMac ? "⌘" : "Ctrl",
  ArrowUp: "↑",
  ArrowDown: "↓",
  ArrowLeft: "←",
  ArrowRight: "→",
};

/** Keys as they stand on a keyboard. */
export function KeyCaps({ keys }: { keys: string[] }) {
  return (
    <span className="flex flex-wrap gap-1">
      {keys.map((name) => (
        <kbd key={name} className="rounded border border-rule-strong bg-paper px-1.5 font-sans text-[12px]">
          {name
            .split(/\+(?=.)/)
            .map((piece) => SIGNS[piece] ?? (piece.length === 1 ? piece.toUpperCase() : piece))
            .join(" ")}
        </kbd>
      ))}
    </span>
  );
}
