import { type ComponentProps, forwardRef } from "react";
import { download } from "../../api/download";
import { settled } from "../take/shaping";
import { complain, set } from "../take/state";

/** A link to a file of the take. A plain click waits here until all that was done is in it, and where the server has
 * others to make first. */
export const FileLink = forwardRef<HTMLAnchorElement, ComponentProps<"a"> & { href: string }>(
  function FileLink({ href, onClick, children, ...more }, ref) {
    return (
      <a
        ref={ref}
        href={href}
        download
        {...more}
        onClick={(event) => {
          onClick?.(event);
          if (event.ctrlKey || event.metaKey || event.shiftKey || event.altKey) return;
          event.preventDefault();
          const wait = () =>
            set({
              notice: { text: "Other large files are being made just now; this one comes in a moment." },
            });
          settled()
            .then(() => download(href, wait))
            .catch(complain);
        }}
      >
        {children}
      </a>
    );
  },
);
