import { useSyncExternalStore } from "react";

/** Whether a media query matches now: "yes" or "no", to be a key of what is made anew where that changes. */
export function useMatches(query: string): "yes" | "no" {
  return useSyncExternalStore(
    (changed) => {
      const list = window.matchMedia(query);
      list.addEventListener("change", changed);
      return () => list.removeEventListener("change", changed);
    },
    () => (window.matchMedia(query).matches ? "yes" : "no"),
  );
}
