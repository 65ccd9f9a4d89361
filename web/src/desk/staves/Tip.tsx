import { useDesk } from "../take/state";

/** What is said at the pointer while something is dragged: the value that it has come to. */
export function Tip({ stave }: { stave: string }) {
  const tip = useDesk((state) => state.tip);
  if (tip?.stave !== stave) return null;
  return (
    <span
      data-testid="tip"
      aria-hidden
      className="pointer-events-none absolute z-10 rounded border border-accent bg-sheet px-1.5 py-0.5 text-[13px] whitespace-nowrap text-accent-deep"
      style={{ left: tip.x + 14, top: Math.max(tip.y - 26, 2) }}
    >
      {tip.text}
    </span>
  );
}
