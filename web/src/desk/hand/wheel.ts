/** How far the wheel of the pointer has been turned, and how much closer that looks. */

/** A line of what counts in lines, in pixels. */
const LINE = 16;
/** What turns by less than this is a pinch, or a pad: it turns often, and each time a little. */
const LITTLE = 30;

export function turned(event: WheelEvent): { across: number; along: number } {
  const unit = event.deltaMode === 1 ? LINE : 1;
  return { across: event.deltaX * unit, along: event.deltaY * unit };
}

export const closerBy = (along: number): number =>
  Math.exp(-along * (Math.abs(along) < LITTLE ? 0.012 : 0.003));
