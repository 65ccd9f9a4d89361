import { DropdownMenu } from "radix-ui";
import { type ReactNode, useRef } from "react";

/** How an item of any menu looks. */
export const MENU_ITEM =
  "flex cursor-pointer items-center gap-2 rounded px-3 py-1.5 outline-none data-[highlighted]:bg-accent-wash data-[highlighted]:text-accent-deep data-[disabled]:text-ghost";

interface MenuProps {
  label: string;
  /** What is pressed to open it, and how that looks. */
  sign: ReactNode;
  className: string;
  align?: "start" | "end";
  /** Of many items: in two columns. */
  wide?: boolean;
  children: ReactNode;
}

/** A small menu behind a sign. */
export function Menu({ label, sign, className, align = "end", wide, children }: MenuProps) {
  // Who has chosen by keys goes on from the menu's sign; a hand on the mouse has the desk's keys again.
  const byKeys = useRef(false);
  return (
    <DropdownMenu.Root modal={false}>
      <DropdownMenu.Trigger
        aria-label={label}
        className={`grid place-items-center text-faded hover:text-ink ${className}`}
      >
        {sign}
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          align={align}
          collisionPadding={8}
          className={`z-40 max-h-(--radix-dropdown-menu-content-available-height) min-w-36 overflow-y-auto rounded-lg border border-rule-strong bg-sheet p-1 shadow-lg ${wide ? "grid grid-cols-2" : ""}`}
          onKeyDownCapture={() => {
            byKeys.current = true;
          }}
          onEscapeKeyDown={() => {
            byKeys.current = true;
          }}
          onPointerMoveCapture={() => {
            byKeys.current = false;
          }}
          onPointerDownOutside={() => {
            byKeys.current = false;
          }}
          // Where an item has opened an entry, that keeps the focus.
          onCloseAutoFocus={(event) => {
            if (!byKeys.current || document.activeElement instanceof HTMLInputElement) event.preventDefault();
          }}
        >
          {children}
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  );
}

interface MenuItemProps {
  onSelect: () => void;
  disabled?: boolean;
  children: ReactNode;
}

export function MenuItem({ onSelect, disabled = false, children }: MenuItemProps) {
  return (
    <DropdownMenu.Item className={MENU_ITEM} onSelect={onSelect} disabled={disabled}>
      {children}
    </DropdownMenu.Item>
  );
}

/** Three dots, in a row or upright. */
export function Dots({ upright = false }: { upright?: boolean }) {
  return (
    <svg
      viewBox="0 0 16 16"
      className={`h-4 w-4 ${upright ? "rotate-90" : ""}`}
      aria-hidden
      fill="currentColor"
    >
      <circle cx="3" cy="8" r="1.5" />
      <circle cx="8" cy="8" r="1.5" />
      <circle cx="13" cy="8" r="1.5" />
    </svg>
  );
}
