/** How many of something have which value: 16 bars over the whole of a scale; `mark` is a share of it. */
export function Histogram({ spread, mark }: { spread: number[]; mark?: number }) {
  const most = Math.max(...spread, 1);
  return (
    <svg
      viewBox={`0 0 128 ${mark === undefined ? 30 : 34}`}
      preserveAspectRatio="none"
      className="my-1.5 h-9 w-full"
      aria-hidden
    >
      {spread.map((many, bin) => {
        const high = many ? 2 + (26 * many) / most : 0;
        return (
          <rect key={bin} x={bin * 8 + 0.5} y={29 - high} width={7} height={high} fill="var(--color-faded)" />
        );
      })}
      <path d="M0 29.5H128" stroke="var(--color-rule-strong)" />
      {mark !== undefined && <path d={`M${128 * mark} 30v4`} stroke="var(--color-accent)" strokeWidth="2" />}
    </svg>
  );
}
