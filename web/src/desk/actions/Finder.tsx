import { Dialog } from "radix-ui";
import { useEffect, useState } from "react";
import { KeyCaps } from "./KeyCaps";
import { ACTIONS, type Action } from "./keys";

/** Whether an action has all of the words. */
const fitting = (words: string) => {
  const wanted = words.toLowerCase().split(/\s+/).filter(Boolean);
  return ({ does, group, words: others = "" }: Action) => {
    const text = `${does} ${group} ${others}`.toLowerCase();
    return wanted.every((word) => text.includes(word));
  };
};

/** Every action, found by what it does. */
export function Finder({ open, onOpen }: { open: boolean; onOpen: (open: boolean) => void }) {
  const [words, setWords] = useState("");
  // What depends on the take comes a moment after the rest.
  const [offers, setOffers] = useState<(() => Action[]) | null>(null);
  useEffect(() => {
    if (open && !offers) void import("./offers").then((known) => setOffers(() => known.offers));
  }, [open, offers]);
  const found = open ? [...ACTIONS, ...(offers?.() ?? [])].filter(fitting(words)).slice(0, 10) : [];
  const run = (action: Action | undefined) => {
    if (!action) return;
    onOpen(false);
    setWords("");
    action.run(new KeyboardEvent("keydown"));
  };
  return (
    <Dialog.Root open={open} onOpenChange={onOpen}>
      <Dialog.Portal>
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-14 left-1/2 z-50 w-[min(520px,94vw)] -translate-x-1/2 rounded-xl border border-rule-strong bg-sheet p-3 shadow-xl"
        >
          <Dialog.Title className="sr-only">Find an action</Dialog.Title>
          <form
            onSubmit={(event) => {
              event.preventDefault();
              run(found[0]);
            }}
          >
            <input
              aria-label="What it does"
              placeholder="What do you want to do?"
              value={words}
              onChange={(event) => setWords(event.target.value)}
              className="entry h-9 px-3 text-left text-[15px]"
            />
          </form>
          <ul className="mt-2" aria-label="Actions found">
            {found.map((action) => (
              <li key={action.does}>
                <button
                  type="button"
                  className="flex w-full items-center gap-3 rounded px-2 py-1.5 text-left hover:bg-accent-wash focus-visible:bg-accent-wash"
                  onClick={() => run(action)}
                >
                  <span className="w-14 font-mark text-accent-deep italic">{action.group}</span>
                  <span className="flex-1">{action.does}</span>
                  <KeyCaps keys={action.keys} />
                </button>
              </li>
            ))}
            {!found.length && <li className="px-2 py-1.5 text-faded">Nothing does that, by these words.</li>}
          </ul>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
