import type { Schemas } from "../../api/client";
import { clock } from "../../ui/words";
import { showing } from "../page/camera";
import { look, useDesk } from "../take/state";

const HIGH = 26;
const MOST_COLUMNS = 400;

/** What the busiest cable has to carry, second by second, under the line of what it can. A click goes to its peak. */
export function Load({ load }: { load: Schemas["Wire"] }) {
  const score = useDesk((state) => state.score);
  if (!score) return null;
  const columns = Math.min(load.bytes.length, MOST_COLUMNS);
  const most = Math.max(load.peak, load.most);
  const heights = Array.from({ length: columns }, (_, column) => {
    const first = Math.floor((column * load.bytes.length) / columns);
    const after = Math.max(Math.floor(((column + 1) * load.bytes.length) / columns), first + 1);
    return Math.max(...load.bytes.slice(first, after)) / most;
  });
  const bars = heights.map((share, column) => `M${column + 0.5} ${HIGH}V${HIGH * (1 - share)}`).join("");
  const limit = HIGH * (1 - load.most / most);
  const air = 4 * score.resolution;
  const says = `The cable: at most ${load.peak.toLocaleString("en-GB")} of ${load.most.toLocaleString("en-GB")} bytes a second`;
  return (
    <button
      type="button"
      className="mt-1 block w-full text-left text-faded hover:text-ink"
      title={`Of ${clock(load.bytes.length * load.every)}; go to where it is busiest`}
      onClick={() =>
        look((camera, whole) => showing(camera, whole, Math.max(load.at - air, 0), load.at + 4 * air))
      }
    >
      {says}
      <svg
        viewBox={`0 0 ${columns} ${HIGH}`}
        preserveAspectRatio="none"
        className="mt-0.5 block h-[26px] w-full"
        aria-hidden
      >
        <path d={bars} className="stroke-faded" strokeWidth="0.9" />
        <path
          d={`M0 ${limit}H${columns}`}
          className="stroke-accent"
          strokeWidth="1"
          strokeDasharray="4 3"
          vectorEffect="non-scaling-stroke"
        />
      </svg>
    </button>
  );
}
