import { firstAbove, placeText } from "../../score/score";
import { GUTTER, rightTick, xOf } from "../page/camera";
import { useFaults } from "../take/reading";
import { set, useDesk } from "../take/state";

/** So many are shown at once; of those that lie closer together than this, the first. */
const MOST = 24;
const APART = 20;

/** What is wrong on an open lane, where it is: said when asked, and shown in Shape with its mend when pressed. */
export function FaultMarks({ laneKey }: { laneKey: string }) {
  const part = useDesk((state) => state.fronts[0]);
  const camera = useDesk((state) => state.camera);
  const score = useDesk((state) => state.score);
  const shaping = useDesk((state) => state.shaping !== null);
  const { data: all } = useFaults();
  // While a stroke is made, nothing lies in its way.
  if (!score || shaping) return null;
  const placed: { span: [number, number]; left: number; says: string }[] = [];
  const until = rightTick(camera);
  for (const { spans, says } of (all ?? []).filter((one) => one.part === part && one.lane === laneKey)) {
    const first = Math.max(
      firstAbove(
        spans.map(([, end]) => end),
        camera.left,
      ),
      0,
    );
    for (const span of spans.slice(first, first + MOST)) {
      const left = Math.max(xOf(camera, span[0]), GUTTER);
      if (span[0] >= until || placed.some((other) => Math.abs(other.left - left) < APART)) continue;
      placed.push({ span: [span[0], span[1]], left, says });
    }
  }
  return placed.slice(0, MOST).map(({ span, left, says }) => (
    <button
      key={`${span[0]} ${says}`}
      type="button"
      title={says}
      aria-label={`At ${placeText(score, span[0])}: ${says}`}
      data-testid="fault"
      style={{ left: left - 1 }}
      className="absolute bottom-1 z-10 grid h-[18px] w-[18px] place-items-end justify-start text-accent hover:text-accent-deep"
      onClick={() => set({ span, activeLane: laneKey })}
    >
      <svg viewBox="0 0 14 14" className="h-3.5 w-3.5" aria-hidden>
        <path d="M1 13V1l11 4-9 4" fill="currentColor" stroke="currentColor" strokeLinejoin="round" />
      </svg>
    </button>
  ));
}
