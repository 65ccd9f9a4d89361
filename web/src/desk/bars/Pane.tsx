import type { ReactNode } from "react";

interface Props {
  /** What it is, to all who look and listen. */
  name: string;
  /** Height, by its class. */
  high?: string;
  /** What stands beside the name. */
  beside?: ReactNode;
  onClose: () => void;
  children: ReactNode;
}

/** What is opened under the staves: its name, what is said beside it, and a way to close it. */
export function Pane({ name, high = "h-64", beside, onClose, children }: Props) {
  return (
    <section
      aria-label={name}
      className={`flex ${high} shrink-0 flex-col border-t border-rule-strong bg-sheet`}
    >
      <div className="flex items-center gap-3 border-b border-rule px-3 py-1">
        <h2 className="font-semibold">{name}</h2>
        {beside}
        <button type="button" className="ml-auto min-h-6 text-faded hover:text-ink" onClick={onClose}>
          Close
        </button>
      </div>
      {children}
    </section>
  );
}
