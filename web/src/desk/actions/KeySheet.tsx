import { Dialog } from "radix-ui";
import { Check } from "../../ui/Entries";
import { wish } from "../take/arranging";
import { useDesk } from "../take/state";
import { KeyCaps } from "./KeyCaps";
import { ACTIONS } from "./keys";

const GROUPS = ["Hear", "Choose", "Shape", "Look"] as const;

/** Every key on one sheet. */
export function KeySheet({ open, onOpen }: { open: boolean; onOpen: (open: boolean) => void }) {
  const letters = useDesk((state) => state.wishes.letters ?? true);
  return (
    <Dialog.Root open={open} onOpenChange={onOpen}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[90vh] w-[min(880px,94vw)] -translate-1/2 overflow-y-auto rounded-xl border border-rule-strong bg-sheet p-6 shadow-xl"
        >
          <div className="mb-4 flex items-center">
            <Dialog.Title className="flex-1 text-xl font-semibold">Keys</Dialog.Title>
            <div className="mr-4">
              <Check
                words="Letters act by themselves (otherwise with Alt)"
                on={letters}
                onChange={(on) => wish({ letters: on })}
              />
            </div>
            <Dialog.Close className="key">Close</Dialog.Close>
          </div>
          <div className="grid gap-x-10 gap-y-5 md:grid-cols-2">
            {GROUPS.map((group) => (
              <section key={group}>
                <h3 className="mb-1 font-mark text-lg text-accent-deep italic">{group}</h3>
                <dl>
                  {ACTIONS.filter((key) => key.group === group && key.keys.length).map((key) => (
                    <div key={key.does} className="flex items-baseline gap-3 border-t border-rule py-1">
                      <dd className="order-2 flex-1">{key.does}</dd>
                      <dt className="w-32">
                        <KeyCaps keys={key.keys} />
                      </dt>
                    </div>
                  ))}
                </dl>
              </section>
            ))}
          </div>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
