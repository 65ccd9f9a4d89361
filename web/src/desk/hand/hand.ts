/** What is said and done otherwise where a finger or a pen is in hand. */

import { desk, type Hand, set } from "../take/state";

/** A finger or a pen that stays this long (ms) before it draws does what Alt does. */
export const HELD_MS = 450;

/** What an event comes from; what does not say so is taken for a mouse. */
export const handOf = ({ pointerType }: PointerEvent): Hand =>
  pointerType === "touch" || pointerType === "pen" ? pointerType : "mouse";

/** Follow what the page is pointed at with; the result ends this. */
export function watchHand(): () => void {
  const pointed = (event: PointerEvent) => {
    const hand = handOf(event);
    if (hand !== desk().hand) set({ hand });
  };
  window.addEventListener("pointerdown", pointed, { capture: true });
  window.addEventListener("pointermove", pointed, { capture: true });
  return () => {
    window.removeEventListener("pointerdown", pointed, { capture: true });
    window.removeEventListener("pointermove", pointed, { capture: true });
  };
}

/** The same event as it would be with Alt held. */
export const withAlt = (event: PointerEvent): PointerEvent =>
  new PointerEvent(event.type, {
    altKey: true,
    shiftKey: event.shiftKey,
    ctrlKey: event.ctrlKey,
    metaKey: event.metaKey,
    clientX: event.clientX,
    clientY: event.clientY,
    button: event.button,
    buttons: event.buttons,
    pointerId: event.pointerId,
    pointerType: event.pointerType,
    pressure: event.pressure,
  });

/** A hint in the words of the hand: fingers tap, have no keys, and hold still for what Alt does. */
export function inWordsOf(hand: Hand, hint: string): string {
  if (hand === "mouse") return hint;
  return hint
    .replace(/ \(([^()]*)\)/g, (whole, inside: string) => {
      const said = inside.split("; ");
      if (!said.some((one) => KEYED.test(one))) return whole;
      const kept = said.filter((one) => !KEYED.test(one) || HELD.test(one));
      const words = kept.map((one) => one.replace(HELD, "hold still first: "));
      return words.length ? ` (${words.join("; ")})` : "";
    })
    .replace(/\bclick\b/g, "tap")
    .replace(/\bClick\b/g, "Tap");
}

const KEYED = /^(Alt|Shift|Ctrl|Del|[a-z?/])(\+\w+)?: /;
const HELD = /^Alt: /;
