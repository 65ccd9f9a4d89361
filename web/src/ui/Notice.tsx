/** One line that tells what happened and offers one thing to do about it; it waits until it is answered. */
export interface NoticeText {
  text: string;
  action?: { label: string; run: () => void };
}

export function Notice({ notice, onClose }: { notice: NoticeText | null; onClose: () => void }) {
  return (
    <div
      role="status"
      className="pointer-events-none fixed inset-x-0 bottom-14 z-30 flex justify-center px-4"
    >
      {notice && (
        <div className="pointer-events-auto flex max-w-2xl items-center gap-3 rounded-lg bg-ink py-2 pr-2 pl-4 text-sheet shadow-lg">
          <span>{notice.text}</span>
          {notice.action && (
            <button
              type="button"
              className="key h-7 border-sheet bg-transparent whitespace-nowrap text-sheet hover:bg-sheet hover:text-ink"
              onClick={() => {
                onClose();
                notice.action?.run();
              }}
            >
              {notice.action.label}
            </button>
          )}
          <button
            type="button"
            aria-label="Close"
            className="grid h-7 w-7 place-items-center rounded hover:bg-faded"
            onClick={onClose}
          >
            <svg viewBox="0 0 12 12" className="h-3 w-3" aria-hidden>
              <path d="M2 2l8 8M10 2l-8 8" stroke="currentColor" strokeWidth="1.6" />
            </svg>
          </button>
        </div>
      )}
    </div>
  );
}
