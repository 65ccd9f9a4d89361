import { Popover } from "radix-ui";
import type { Schemas } from "../../api/client";
import { firstAbove, placeText, type Score } from "../../score/score";
import { GUTTER, rightTick, xOf } from "../page/camera";
import { useFaults } from "../take/reading";
import { apply } from "../take/shaping";
import { set, useDesk } from "../take/state";

type Fault = Schemas["Fault"];

/** So many are shown at once; of those that lie closer together than this, the first. */
const MOST = 24;
const APART = 24;

/** What is wrong on an open lane, where it is: a flag says it, and mends it there. */
export function FaultMarks({ laneKey }: { laneKey: string }) {
  const part = useDesk((state) => state.fronts[0]);
  const camera = useDesk((state) => state.camera);
  const score = useDesk((state) => state.score);
  const shaping = useDesk((state) => state.shaping !== null);
  const { data: all } = useFaults();
  // While a stroke is made, nothing lies in its way.
  if (!score || shaping) return null;
  const placed: { span: [number, number]; left: number; fault: Fault }[] = [];
  const until = rightTick(camera);
  for (const fault of (all ?? []).filter((one) => one.part === part && one.lane === laneKey)) {
    const { spans } = fault;
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
      placed.push({ span: [span[0], span[1]], left, fault });
    }
  }
  return placed
    .slice(0, MOST)
    .map(({ span, left, fault }) => (
      <Flag key={`${span[0]} ${fault.reason}`} score={score} {...{ span, left, fault, laneKey }} />
    ));
}

interface FlagProps {
  score: Score;
  span: [number, number];
  left: number;
  fault: Fault;
  laneKey: string;
}

function Flag({ score, span, left, fault, laneKey }: FlagProps) {
  const { says, stroke, mend, spans } = fault;
  return (
    <Popover.Root onOpenChange={(open) => open && set({ span, activeLane: laneKey })}>
      <Popover.Trigger
        title={says}
        aria-label={`At ${placeText(score, span[0])}: ${says}`}
        data-testid="fault"
        style={{ left: left - 1 }}
        className="absolute bottom-0.5 z-10 grid h-6 w-6 place-items-end justify-start text-accent hover:text-accent-deep"
      >
        <svg viewBox="0 0 14 14" className="h-3.5 w-3.5" aria-hidden>
          <path d="M1 13V1l11 4-9 4" fill="currentColor" stroke="currentColor" strokeLinejoin="round" />
        </svg>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          align="start"
          sideOffset={2}
          collisionPadding={8}
          aria-label="What is wrong here"
          className="z-40 w-72 rounded-lg border border-rule-strong bg-sheet p-3 text-[13px] shadow-xl"
        >
          <p className="text-accent-deep">{says}</p>
          {spans.length > 1 && (
            <p className="mt-1 text-faded">{`One of ${spans.length.toLocaleString("en-GB")} places.`}</p>
          )}
          {stroke && (
            <Popover.Close
              className="key mt-2 min-h-8"
              title={spans.length > 1 ? "In all of these places" : undefined}
              onClick={() => void apply(stroke)}
            >
              {mend}
            </Popover.Close>
          )}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
