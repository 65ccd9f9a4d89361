/** How late taps are. */

/** Seconds from click to click. */
export const EVERY_SECONDS = 0.5;

/** The middle of what taps are off the clicks they are for, in whole milliseconds; null where they are too few. */
export function lateness(taps: readonly number[], clicks: readonly number[]): number | null {
  const off = clicks.flatMap((click) => {
    const near = taps.filter((tap) => Math.abs(tap - click) < (EVERY_SECONDS * 1000) / 2);
    return near.length
      ? [near.reduce((a, b) => (Math.abs(a - click) < Math.abs(b - click) ? a : b)) - click]
      : [];
  });
  if (off.length < clicks.length / 2) return null;
  return Math.round(off.sort((a, b) => a - b)[Math.floor(off.length / 2)]!);
}
