/** A value held between two others. */
export const between = (value: number, low: number, high: number) => Math.min(Math.max(value, low), high);

/** Rounded to so many places, as numbers are shown and sent. */
export const rounded = (value: number, places = 2) => Math.round(value * 10 ** places) / 10 ** places;

/** A number with a minus sign that is one. */
export const signed = (value: number) => String(value).replace("-", "−");

/** What was typed for a number, as the language reads it. */
export const typedNumber = (text: string) => text.trim().replace("−", "-").replace(",", ".");

/** The height of a drawn line at a tick. */
export function heightAt(line: readonly (readonly number[])[], tick: number): number {
  const after = Math.max(
    line.findIndex(([at = 0]) => at >= tick),
    1,
  );
  const [[x = 0, y = 0], [toX = 0, toY = 0]] = [line[after - 1] ?? [], line[after] ?? []];
  return y + ((toY - y) * (tick - x)) / Math.max(toX - x, 1);
}
