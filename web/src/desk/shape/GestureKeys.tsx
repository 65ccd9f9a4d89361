import { Toolbar } from "radix-ui";
import type { MouseEvent } from "react";
import { type Gesture, gesturesOf } from "../../api/strokes";
import { Menu, MenuItem } from "../../ui/Menu";
import { focusLane, focusNumbers } from "../stage/laneSight";
import { beginGesture } from "../strokes/begin";
import { SIGNS, type Sign } from "../strokes/signs";
import { desk, useDesk } from "../take/state";

/** After the pointer the keys go to the lane, so that Enter keeps; after a key, to the numbers of what has begun. */
function goOn({ detail }: MouseEvent<HTMLElement>): void {
  if (detail) focusLane(desk().activeLane);
  else focusNumbers();
}

/**
 * Keys that begin gestures, each with a small drawing of it: grouped by what they are for, all in sight. The kind that is
 * open is marked; another one keeps it and begins. With Tab a group is one stop, the arrow keys go through it. What needs notes or a span is paler until there are any, and says so:
 * nothing moves when they come.
 */
export function GestureKeys({ gestures, lane }: { gestures: readonly Gesture[]; lane: string }) {
  const hasSelection = useDesk((state) => state.chosenCount > 0 || state.span !== null);
  const open = useDesk((state) => state.shaping?.stroke.kind);
  // Of a kind that has several, nobody can tell by which it was begun.
  const marked = open && gesturesOf(open).length === 1 ? open : undefined;
  const groups = [...new Set(gestures.map(({ group }) => group))];
  return (
    <div className="space-y-1">
      {groups.map((group) => (
        <Toolbar.Root key={group} aria-label={group} className="flex gap-1">
          <span
            aria-hidden
            className="w-3.5 shrink-0 rotate-180 border-l border-rule-strong text-center text-[10.5px] leading-[14px] text-faded [writing-mode:vertical-rl]"
          >
            {group}
          </span>
          <div className="grid flex-1 auto-rows-[24px] grid-cols-3 gap-0.5">
            {gestures
              .filter((one) => one.group === group && !one.folded)
              .map((gesture) => (
                <Toolbar.Button
                  key={gesture.name}
                  title={gesture.title}
                  data-open={gesture.kind === marked || undefined}
                  data-lacking={(gesture.for_selection && !hasSelection) || undefined}
                  className="flex items-center gap-1 rounded border border-rule bg-sheet px-0.5 text-left text-[11.5px] tracking-tight whitespace-nowrap hover:border-ink data-lacking:text-faded data-open:border-accent data-open:bg-accent-wash"
                  onClick={(event) => {
                    beginGesture(gesture, lane);
                    goOn(event);
                  }}
                >
                  <svg viewBox="0 0 24 13" className="h-2.5 w-3.5 shrink-0 text-accent" aria-hidden>
                    <path
                      d={SIGNS[gesture.sign as Sign]}
                      fill="none"
                      stroke="currentColor"
                      strokeWidth="1.8"
                      strokeLinejoin="round"
                    />
                  </svg>
                  {gesture.name}
                </Toolbar.Button>
              ))}
            <Folded gestures={gestures.filter((one) => one.group === group && one.folded)} lane={lane} />
          </div>
        </Toolbar.Root>
      ))}
    </div>
  );
}

/** Gestures of a group that are one choice: behind one key. */
function Folded({ gestures, lane }: { gestures: readonly Gesture[]; lane: string }) {
  if (!gestures.length) return null;
  return (
    <Menu
      label="One rule …"
      sign="One rule …"
      wide
      className="h-full rounded border border-rule bg-sheet px-1 text-[11.5px] tracking-tight hover:border-ink"
    >
      {gestures.map((gesture) => (
        <MenuItem key={gesture.name} onSelect={() => beginGesture(gesture, lane)}>
          <span title={gesture.title}>{gesture.name}</span>
        </MenuItem>
      ))}
    </Menu>
  );
}
