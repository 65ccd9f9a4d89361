/**
 * Focus never falls to nowhere: where what has it goes away or is switched off, its neighbour has it.
 *
 * Only for who goes by keys: to a hand on the mouse the keys of the desk (Space plays) matter more.
 */

const REACHABLE =
  "a[href],button:not(:disabled),input:not(:disabled),select:not(:disabled),summary,[tabindex]:not([tabindex='-1'])";

/** Watch the page from now on; the result stops it. */
export function keepFocus(page: HTMLElement = document.body): () => void {
  /** What has the focus, and all that it lies within, innermost first. */
  let held: HTMLElement[] = [];
  let byKeys = false;
  const noteInput = (event: Event) => {
    byKeys = event.type === "keydown";
  };
  const remember = (event: FocusEvent) => {
    held = [];
    for (let at = event.target as HTMLElement | null; at && at !== page; at = at.parentElement) held.push(at);
  };
  const mend = () => {
    const [last, ...around] = held;
    const now = document.activeElement;
    if (!last || (now && now !== page && now !== last)) return;
    const isGone = !last.isConnected || (last as HTMLButtonElement).disabled;
    if (!isGone) return;
    // What a hand on the mouse has left is not looked for when it comes to the keys.
    held = [];
    if (!byKeys) return;
    const home = around.find((one) => one.isConnected && one.querySelector(REACHABLE));
    home?.querySelector<HTMLElement>(REACHABLE)?.focus({ preventScroll: true });
  };
  // After what else happens at once: a dialog that closes gives the focus back by itself.
  const watcher = new MutationObserver(() => window.setTimeout(mend));
  watcher.observe(page, { childList: true, subtree: true, attributeFilter: ["disabled"] });
  page.addEventListener("focusin", remember);
  for (const kind of ["keydown", "pointerdown"]) page.addEventListener(kind, noteInput, true);
  return () => {
    watcher.disconnect();
    page.removeEventListener("focusin", remember);
    for (const kind of ["keydown", "pointerdown"]) page.removeEventListener(kind, noteInput, true);
  };
}
