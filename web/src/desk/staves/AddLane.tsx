import { useState } from "react";
import type { LaneKind } from "../../api/client";
import { changeLane } from "../take/arranging";
import { lanesThere, set, useDesk } from "../take/state";

/** Search all lanes by number or name; favourites come first. */
export function AddLane({ shown }: { shown: string[] }) {
  const [words, setWords] = useState<string | null>(null);
  useDesk((state) => state.kinds);
  const favourites = useDesk((state) => state.wishes.favourites ?? []);
  if (words === null) {
    return (
      <button
        type="button"
        className="h-7 px-3 text-[13px] text-faded hover:text-ink"
        onClick={() => setWords("")}
      >
        Add a lane …
      </button>
    );
  }
  const wanted = words.trim().toLowerCase();
  const isFavourite = (key: string) => favourites.some((one) => one.key === key);
  const labelOf = ({ key, title }: LaneKind) => favourites.find((one) => one.key === key)?.label || title;
  const rank = ({ key, number }: LaneKind) =>
    (isFavourite(key) ? 0 : 2) + (String(number) === wanted ? 0 : 1);
  const found = lanesThere()
    .filter(({ key }) => !shown.includes(key))
    .filter((kind) => `${labelOf(kind)} ${kind.title}`.toLowerCase().includes(wanted))
    .sort((a, b) => rank(a) - rank(b));
  const add = (key: string) => {
    changeLane(key, { open: true });
    set({ activeLane: key });
    setWords(null);
  };
  return (
    <form
      className="p-2"
      onSubmit={(event) => {
        event.preventDefault();
        if (found.length) add(found[0].key);
      }}
    >
      <input
        // biome-ignore lint/a11y/noAutofocus: the player has just asked to type here
        autoFocus
        aria-label="Lane by number or name"
        placeholder="Number or name: 74, timbre, bend …"
        value={words}
        onChange={(event) => setWords(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && setWords(null)}
        className="entry w-72 text-left"
      />
      <ul className="mt-1.5 flex flex-wrap gap-1" aria-label="Lanes found">
        {found.slice(0, 14).map((one) => (
          <li key={one.key}>
            <button type="button" className="key h-6 px-2 text-[13px]" onClick={() => add(one.key)}>
              {labelOf(one)}
            </button>
          </li>
        ))}
        {!found.length && <li className="text-faded">No lane of that number or name.</li>}
      </ul>
    </form>
  );
}
