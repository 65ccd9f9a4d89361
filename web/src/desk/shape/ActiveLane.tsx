import { Popover } from "radix-ui";
import { useId, useRef, useState } from "react";
import { VELOCITY } from "../../score/lanes";
import { bringToSight, focusLane } from "../stage/laneSight";
import { changeLane } from "../take/arranging";
import { lanesFound } from "../take/lanesFound";
import { close } from "../take/shaping";
import { desk, kindOf, set, useDesk } from "../take/state";

const MOST_SHOWN = 60;
const BECAUSE = { "has data": "here", favourite: "favourite", answered: "answered", "": "" } as const;

/** The lane that Shape acts on: velocity, or any other, found by number, name or another word for it. */
export function ActiveLane() {
  const [open, setOpen] = useState(false);
  const activeLane = useDesk((state) => state.activeLane);
  const kind = useDesk((state) => kindOf(activeLane, state));
  const chosen = useRef<string | null>(null);
  return (
    <Popover.Root open={open} onOpenChange={setOpen}>
      <Popover.Trigger
        className="key h-7 min-w-0 shrink-0 gap-1.5 px-2 font-semibold"
        aria-label={`Lane that Shape acts on: ${kind.title}`}
        data-lane-acted-on={activeLane}
      >
        <span className="max-w-40 truncate">{kind.title}</span>
        <svg viewBox="0 0 8 8" className="h-2 w-2" aria-hidden>
          <path d="M1 2.5l3 3 3-3" fill="none" stroke="currentColor" strokeWidth="1.4" />
        </svg>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          aria-label="Lanes"
          onCloseAutoFocus={(event) => {
            // The keys go to the lane that was asked for.
            const lane = chosen.current;
            chosen.current = null;
            if (lane === null) return;
            event.preventDefault();
            requestAnimationFrame(() => focusLane(lane));
          }}
          className="z-40 w-72 rounded-lg border border-rule-strong bg-sheet p-2 shadow-xl"
        >
          <Lanes
            onLane={(key) => {
              chosen.current = key;
              if (key !== desk().activeLane) close();
              set({ activeLane: key });
              setOpen(false);
              if (key === VELOCITY) return;
              changeLane(key, { open: true });
              bringToSight(key);
            }}
          />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function Lanes({ onLane }: { onLane: (key: string) => void }) {
  const id = useId();
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const found = lanesFound(words, true).slice(0, MOST_SHOWN);
  const go = (to: number) => {
    setAt(to);
    document.getElementById(`${id} ${to}`)?.scrollIntoView({ block: "nearest" });
  };
  return (
    <>
      <input
        role="combobox"
        aria-label="Lane by number, name or another word for it"
        aria-expanded
        aria-controls={`${id} list`}
        aria-activedescendant={found.length ? `${id} ${at}` : undefined}
        placeholder="74, aftertouch, damper, cutoff …"
        autoComplete="off"
        value={words}
        className="entry text-left"
        onChange={(event) => {
          setWords(event.target.value);
          setAt(0);
        }}
        onKeyDown={(event) => {
          if (event.key === "Enter" && found[at]) onLane(found[at].kind.key);
          const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
          if (!by) return;
          event.preventDefault();
          go(Math.min(Math.max(at + by, 0), found.length - 1));
        }}
      />
      <div
        role="listbox"
        id={`${id} list`}
        aria-label="Lanes found"
        className="mt-1.5 max-h-80 overflow-y-auto"
      >
        {found.map(({ kind, label, because }, row) => (
          // biome-ignore lint/a11y/useFocusableInteractive lint/a11y/useKeyWithClickEvents: the entry above has the focus and the keys
          <div
            key={kind.key}
            id={`${id} ${row}`}
            role="option"
            aria-selected={row === at}
            className="flex min-h-6 cursor-pointer items-center gap-2 rounded px-2 text-[13px] hover:bg-paper aria-selected:bg-accent-wash"
            onClick={() => onLane(kind.key)}
          >
            <span className="min-w-0 flex-1 truncate">{label}</span>
            <span className="text-faded">{BECAUSE[because]}</span>
          </div>
        ))}
      </div>
      {!found.length && <p className="px-2 py-1 text-[13px] text-faded">No lane by these words.</p>}
    </>
  );
}
