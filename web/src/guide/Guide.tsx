import { type MouseEvent, useEffect, useRef } from "react";
import { Link, NavLink, useNavigate, useParams } from "react-router";
import { Nothing } from "../ui/Broken";
import { Wordmark } from "../ui/Wordmark";
import { PAGES } from "./pages";

/** One page for each task a player has; its links show the place in a take. */
export function Guide() {
  const { page = PAGES[0]!.slug } = useParams();
  const at = PAGES.findIndex((one) => one.slug === page);
  const go = useNavigate();
  const text = useRef<HTMLElement>(null);
  const title = PAGES[at]?.title;
  // biome-ignore lint/correctness/useExhaustiveDependencies: another page begins at its top, and is read from there
  useEffect(() => {
    document.title = `${title ?? "Guide"} · Lull`;
    text.current?.scrollTo(0, 0);
    text.current?.focus();
  }, [page]);
  if (at < 0) return <Nothing />;
  const inside = (event: MouseEvent) => {
    const link = (event.target as Element).closest("a");
    if (!link || event.ctrlKey || event.metaKey || event.shiftKey || event.button) return;
    event.preventDefault();
    void go(link.pathname + link.search);
  };
  return (
    <div className="flex h-full flex-col">
      <header className="flex items-center gap-4 border-b border-rule-strong bg-sheet px-6 py-3">
        <Link to="/" className="text-2xl leading-none" aria-label="Lull: to the library">
          <Wordmark />
        </Link>
        <span className="font-mark text-lg italic">Guide</span>
        <div className="flex-1" />
        <Link to="/" className="key">
          To the library
        </Link>
      </header>
      <div className="flex min-h-0 flex-1 max-[700px]:flex-col">
        <Contents at={at} />
        {/* biome-ignore lint/a11y/useKeyWithClickEvents: Enter on a link is a click */}
        <main
          ref={text}
          tabIndex={-1}
          className="min-h-0 flex-1 overflow-y-auto px-8 py-6 outline-none max-[700px]:px-4"
          onClick={inside}
        >
          {/* biome-ignore lint/security/noDangerouslySetInnerHtml: our own pages, made when Lull is built */}
          <article className="guide" dangerouslySetInnerHTML={{ __html: PAGES[at]!.html }} />
          <p className="guide mt-8 flex justify-between">
            {at > 0 ? <Link to={`/guide/${PAGES[at - 1]!.slug}`}>← {PAGES[at - 1]!.title}</Link> : <span />}
            {at < PAGES.length - 1 && (
              <Link to={`/guide/${PAGES[at + 1]!.slug}`}>{PAGES[at + 1]!.title} →</Link>
            )}
          </p>
        </main>
      </div>
    </div>
  );
}

function Contents({ at }: { at: number }) {
  return (
    <nav
      aria-label="Pages of the guide"
      className="w-64 shrink-0 overflow-y-auto border-r border-rule p-3 max-[700px]:w-auto max-[700px]:max-h-40 max-[700px]:border-r-0 max-[700px]:border-b"
    >
      <ol>
        {PAGES.map((one, row) => (
          <li key={one.slug}>
            <NavLink
              to={`/guide/${one.slug}`}
              aria-current={row === at ? "page" : undefined}
              className={`flex min-h-7 items-baseline gap-2 rounded px-2 py-1 hover:bg-sheet ${row === at ? "bg-accent-wash font-semibold" : ""}`}
            >
              <span className="w-5 text-right text-faded tabular-nums">{row + 1}</span>
              {one.title}
            </NavLink>
          </li>
        ))}
      </ol>
    </nav>
  );
}
