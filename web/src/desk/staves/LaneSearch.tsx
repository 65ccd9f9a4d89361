import { useState } from "react";
import { bringToSight, focusLane } from "../stage/laneSight";
import { changeLane } from "../take/arranging";
import { lanesFound } from "../take/lanesFound";
import { set, useDesk } from "../take/state";

/** All lanes, searched by number, name or another word for them. */
export function LaneSearch({ shown, onDone }: { shown: string[]; onDone: () => void }) {
  const [words, setWords] = useState("");
  useDesk((state) => state.kinds);
  useDesk((state) => state.wishes.favourites);
  const all = lanesFound(words);
  const found = all.filter(({ kind }) => !shown.includes(kind.key));
  // What is open already is shown, not put in a second time.
  const there = words.trim() ? all.find(({ kind }) => shown.includes(kind.key)) : undefined;
  const add = (key: string) => {
    changeLane(key, { open: true });
    set({ activeLane: key });
    bringToSight(key);
    onDone();
    requestAnimationFrame(() => focusLane(key));
  };
  return (
    <form
      className="p-2"
      onSubmit={(event) => {
        event.preventDefault();
        const first = [...(there ? [there] : []), ...found].sort((a, b) => a.rank - b.rank)[0];
        if (first) add(first.kind.key);
      }}
    >
      <input
        // biome-ignore lint/a11y/noAutofocus: the player has just asked to type here
        autoFocus
        aria-label="Lane by number or name"
        placeholder="Number or name: 74, timbre, bend …"
        value={words}
        onChange={(event) => setWords(event.target.value)}
        onKeyDown={(event) => event.key === "Escape" && onDone()}
        className="entry w-72 text-left"
      />
      <ul className="mt-1.5 flex flex-wrap gap-1" aria-label="Lanes found">
        {there && (
          <Found
            label={`${there.label}, here already`}
            className="border-dashed"
            onClick={() => add(there.kind.key)}
          />
        )}
        {found.slice(0, 14).map(({ kind, label }) => (
          <Found key={kind.key} label={label} onClick={() => add(kind.key)} />
        ))}
        {!found.length && !there && <li className="text-faded">No lane of that number or name.</li>}
      </ul>
    </form>
  );
}

interface FoundProps {
  label: string;
  className?: string;
  onClick: () => void;
}

function Found({ label, className = "", onClick }: FoundProps) {
  return (
    <li>
      <button type="button" className={`key h-6 px-2 text-[13px] ${className}`} onClick={onClick}>
        {label}
      </button>
    </li>
  );
}
