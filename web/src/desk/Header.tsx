import { Link } from "react-router";
import { Seal } from "../parts/Seal";
import { Wordmark } from "../parts/Wordmark";
import { toFront, useDesk } from "./store";

/** The take's name, its parts, and the way out with the file. */
export function Header() {
  const name = useDesk((state) => state.name);
  const score = useDesk((state) => state.score);
  const front = useDesk((state) => state.front);
  return (
    <header className="flex items-center gap-4 border-b border-rule-strong bg-sheet px-4 py-2">
      <Link to="/" className="text-2xl leading-none" aria-label="Lull: back to the library">
        <Wordmark />
      </Link>
      <h1 className="min-w-0 max-w-[34ch] truncate text-[15px] font-semibold" title={name}>
        {name}
      </h1>
      <nav aria-label="Parts" className="flex min-w-0 flex-1 gap-1 overflow-x-auto">
        {score?.parts.map((part) => (
          <button
            key={part.id}
            type="button"
            aria-pressed={part.id === front}
            onClick={() => toFront(part.id)}
            className="flex h-8 shrink-0 items-center gap-1.5 rounded-full border border-transparent px-2.5 text-faded hover:text-ink aria-pressed:border-rule-strong aria-pressed:bg-paper aria-pressed:text-ink"
          >
            <Seal dye={part.dye} seal={part.seal} />
            <span className="max-w-40 truncate">{part.name}</span>
          </button>
        ))}
      </nav>
      {score && (
        <a className="key shrink-0" href={`/api/takes/${score.id}/file`} download>
          Download .mid
        </a>
      )}
    </header>
  );
}
