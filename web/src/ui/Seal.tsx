/** A part's letter on its dye: the letter tells it where the colour cannot. */
export function Seal({ dye, seal }: { dye: string; seal: string }) {
  return (
    <span
      aria-hidden
      className="seal inline-grid h-[18px] min-w-[18px] place-items-center rounded-full px-1 text-[11px] font-semibold text-sheet"
      style={{ background: `var(--color-${dye})` }}
    >
      {seal}
    </span>
  );
}
