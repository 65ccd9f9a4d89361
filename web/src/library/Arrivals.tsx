import { Progress } from "../ui/Progress";
import type { Arrival } from "./arrivals";

const WORDS = { sent: "Sending …", waiting: "Waiting its turn …", read: "Reading …" };

/** What waits stands still; and for a short while nobody knows how much of a file is read. */
const shareOf = ({ phase, share }: Arrival) =>
  phase === "waiting" ? 0 : share > 0 && share < 1 ? share : null;

interface Props {
  arrivals: Arrival[];
  onClose: (key: number) => void;
  onZoned: (key: number, take: string) => void;
  onRescue: (arrival: Arrival) => void;
}

/** What comes in, a line each. */
export function Arrivals({ arrivals, onClose, onZoned, onRescue }: Props) {
  if (!arrivals.length) return null;
  return (
    <ul className="mb-5 space-y-2" aria-label="Files being added" aria-live="polite">
      {arrivals.map((one) => (
        <li
          key={one.key}
          className="flex items-start gap-3 rounded-lg border border-rule bg-sheet px-4 py-2.5"
        >
          <span className="w-[30%] shrink-0 font-medium [overflow-wrap:anywhere]">{one.name}</span>
          {one.problem ? (
            <span role="alert" className="flex-1 text-accent-deep">
              {one.problem}{" "}
              {one.damaged && (
                <button
                  type="button"
                  className="font-medium text-ink underline"
                  onClick={() => onRescue(one)}
                >
                  Open what can be read
                </button>
              )}
            </span>
          ) : one.remarks ? (
            <span className="flex-1 text-faded">
              Added. {one.remarks.join(" ")}{" "}
              {one.looksZoned && (
                <button
                  type="button"
                  className="font-medium text-ink underline"
                  onClick={() => one.looksZoned && onZoned(one.key, one.looksZoned)}
                >
                  Open it as MPE
                </button>
              )}
            </span>
          ) : (
            <>
              <Progress className="mt-2 flex-1" share={shareOf(one)} label={`Adding ${one.name}`} />
              <span className="w-32 text-right text-[13px] text-faded">{WORDS[one.phase]}</span>
            </>
          )}
          {(one.problem || one.remarks) && (
            <button
              type="button"
              className="text-faded underline hover:text-ink"
              onClick={() => onClose(one.key)}
            >
              Close
            </button>
          )}
        </li>
      ))}
    </ul>
  );
}
