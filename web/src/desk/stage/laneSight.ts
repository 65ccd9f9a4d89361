import { VELOCITY } from "../../score/lanes";

/** Scroll the lanes so that one is seen; only them, which `scrollIntoView` would not keep to. */
export function bringToSight(key: string): void {
  const lane = document.querySelector(`[data-lane="${key}"]`);
  const list = lane?.closest("section");
  if (!lane || !list) return;
  const [here, whole] = [lane.getBoundingClientRect(), list.getBoundingClientRect()];
  const below = Math.max(here.bottom - whole.bottom, 0);
  list.scrollTop += below > 0 ? Math.min(below, here.top - whole.top) : Math.min(here.top - whole.top, 0);
}

const STAVES: Record<string, string> = {
  [VELOCITY]: "canvas[aria-label^='Velocity of']",
  notes: "canvas[aria-label^='Notes of']",
};

/** The keys go to the canvas of a lane; velocity and the notes are staves. */
export function focusLane(key: string): void {
  const lane = STAVES[key] ?? `[data-lane="${key}"] canvas`;
  document.querySelector<HTMLElement>(lane)?.focus({ preventScroll: true });
}

/** The keys go to the numbers of the stroke that is open, as soon as they are there. */
export function focusNumbers(tries = 20): void {
  const first = document.querySelector<HTMLInputElement>("[data-numbers] input");
  if (first) {
    first.focus();
    first.select();
  } else if (tries) requestAnimationFrame(() => focusNumbers(tries - 1));
}
