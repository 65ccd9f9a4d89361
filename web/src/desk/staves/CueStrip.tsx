import { Popover } from "radix-ui";
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { plain } from "../../api/strokes";
import { gridTicks, type PartScore, placeText } from "../../score/score";
import { NameEntry } from "../../ui/NameEntry";
import { NumberEntry } from "../../ui/NumberEntry";
import { between } from "../../ui/numbers";
import { snappedTick } from "../hand/spanGrip";
import { GUTTER, rightTick, xOf } from "../page/camera";
import { noteName } from "../take/arranging";
import { apply, close, finish, preview } from "../take/shaping";
import { desk, leadPart, set, useDesk } from "../take/state";

type Cue = PartScore["cues"][number];

/** Where the first cue of a part is put, while it has none: as low as keys are that call something up. */
const FIRST_KEY = 24;
const MOST_SHOWN = 200;
const SLOP = 4;
/** Pixels that a cue has at least, and those that the last one may have. */
const LEAST = 24;
const ROOM = 400;

/** What the instrument hears and is no music: cues with the names of what they call up, put in by a press. */
export function CueStrip() {
  const part = useDesk((state) => leadPart(state));
  const camera = useDesk((state) => state.camera);
  const strip = useRef<HTMLElement>(null);
  if (!part) return null;
  const until = rightTick(camera);
  const seen = part.cues.filter(({ start, end }) => end > camera.left && start < until).slice(0, MOST_SHOWN);
  const add = (event: PointerEvent) => {
    if (event.target !== event.currentTarget) return;
    const box = (strip.current as HTMLElement).getBoundingClientRect();
    const x = event.clientX - box.left;
    if (x >= GUTTER) void putIn(part, snappedTick(x, event.altKey));
  };
  return (
    <section
      ref={strip}
      aria-label="Cues"
      className="relative h-[28px] shrink-0 cursor-copy overflow-hidden border-t border-rule bg-sheet text-[12px]"
      onPointerUp={add}
      onPointerMove={() =>
        set({ hint: "Cues: press to put one in, drag one to move it, click it for its name (Del: away)" })
      }
      onPointerLeave={() => set({ hint: "" })}
    >
      <span className="pointer-events-none absolute top-0 bottom-0 left-0 z-10 flex w-[92px] items-center justify-end bg-sheet pr-2 text-faded">
        cues
      </span>
      {seen.map((cue, at) => (
        <CueFlag
          key={cue.id}
          cue={cue}
          part={part}
          x={xOf(camera, cue.start)}
          wide={xOf(camera, cue.end) - xOf(camera, cue.start)}
          room={at + 1 < seen.length ? xOf(camera, seen[at + 1]!.start) - xOf(camera, cue.start) - 2 : ROOM}
        />
      ))}
    </section>
  );
}

/** A new cue, of the key that was called up last before it. */
async function putIn(part: PartScore, start: number): Promise<void> {
  const { score } = desk();
  if (!score) return;
  const before = part.cues.findLast((cue) => cue.start <= start) ?? part.cues[0];
  const pitch = before?.pitch ?? FIRST_KEY;
  const length = Math.max(Math.round(gridTicks(score, { value: 16, feel: "straight" })), 1);
  const notes = [{ start, length, pitch, velocity: 100 }];
  await apply(plain("notes.add", { where: { parts: [part.id] }, notes, cue: true }));
}

const named = (part: PartScore, pitch: number) => part.cueNames[pitch] || noteName(pitch);

interface CueProps {
  cue: Cue;
  part: PartScore;
}

const placeOf = ({ cue, part }: CueProps) => ({
  parts: [part.id],
  notes: [[cue.id, cue.id]] as [number, number][],
});

const later = (props: CueProps, ticks: number) =>
  plain("notes.move", {
    where: placeOf(props),
    cues: true,
    ticks: Math.max(ticks, -props.cue.start),
    under: false,
  });

/** A cue is dragged along the strip; a press that does not go anywhere opens its form. */
function useCueDrag(props: CueProps) {
  const drag = useRef<{ x: number; moved: boolean } | null>(null);
  return {
    drag,
    onPointerDown: (event: PointerEvent) => {
      drag.current = { x: event.clientX, moved: false };
      event.currentTarget.setPointerCapture(event.pointerId);
    },
    onPointerMove: (event: PointerEvent) => {
      const held = drag.current;
      if (!held) return;
      const away = event.clientX - held.x;
      if (!held.moved && Math.abs(away) < SLOP) return;
      held.moved = true;
      const at = snappedTick(xOf(desk().camera, props.cue.start) + away, event.altKey);
      preview(later(props, at - props.cue.start));
    },
    onPointerUp: (event: PointerEvent) => {
      event.stopPropagation();
      const moved = drag.current?.moved;
      drag.current = null;
      if (moved) finish();
    },
  };
}

function cueKey(props: CueProps, event: KeyboardEvent): void {
  const { score, grid } = desk();
  if (event.key === "Delete" || event.key === "Backspace")
    void apply(plain("notes.delete", { where: placeOf(props), cues: true }));
  else if (score && (event.key === "ArrowLeft" || event.key === "ArrowRight"))
    void apply(later(props, Math.round(gridTicks(score, grid)) * (event.key === "ArrowRight" ? 1 : -1)));
  else return;
  event.preventDefault();
  event.stopPropagation();
}

function CueFlag({ cue, part, x, wide, room }: CueProps & { x: number; wide: number; room: number }) {
  const [open, setOpen] = useState(false);
  const { drag, ...pointer } = useCueDrag({ cue, part });
  const { score } = desk();
  const name = named(part, cue.pitch);
  return (
    <Popover.Root
      open={open}
      onOpenChange={(wanted) => {
        if (!drag.current?.moved) setOpen(wanted);
      }}
    >
      <Popover.Trigger asChild>
        <button
          type="button"
          aria-label={`Cue ${name}, ${noteName(cue.pitch)}, bar ${score ? placeText(score, cue.start) : ""}`}
          className={`absolute top-[1px] flex h-[25px] overflow-hidden items-center rounded-r-sm border-l-2 border-accent bg-accent-wash pr-1.5 pl-1 whitespace-nowrap text-ink ${cue.muted ? "line-through opacity-60" : ""}`}
          // None covers the next, and none is too small to be met.
          style={{
            left: x,
            minWidth: between(wide, LEAST, Math.max(room, LEAST)),
            maxWidth: Math.max(room, LEAST),
          }}
          {...pointer}
          onKeyDown={(event) => cueKey({ cue, part }, event)}
        >
          {name}
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          align="start"
          className="z-40 w-60 space-y-2 rounded-lg border border-rule-strong bg-sheet p-3 shadow-lg"
        >
          <CueForm cue={cue} part={part} onDone={() => setOpen(false)} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

function CueForm({ cue, part, onDone }: CueProps & { onDone: () => void }) {
  const where = placeOf({ cue, part });
  return (
    <>
      <div className="flex items-center gap-2">
        <span className="text-faded">Calls up</span>
        <NameEntry
          label="What the key calls up"
          name={part.cueNames[cue.pitch] ?? ""}
          maxLength={120}
          className="flex-1"
          onDone={(wanted) => {
            const all = { parts: [part.id], pitches: [cue.pitch], notes: idsOf(part, cue.pitch) };
            if (wanted !== part.cueNames[cue.pitch])
              void apply(plain("notes.cue", { where: all, name: wanted }));
          }}
        />
      </div>
      <NumberEntry
        label={`Key, now ${noteName(cue.pitch)}`}
        value={cue.pitch}
        limits={[0, 127]}
        onKeep={(pitch) => {
          if (pitch !== cue.pitch)
            void apply(plain("notes.move", { where, cues: true, keys: pitch - cue.pitch, under: false }));
        }}
      />
      <div className="flex gap-2">
        <button
          type="button"
          className="key flex-1"
          onClick={() => {
            onDone();
            close();
            void apply(plain("notes.cue", { where, on: false }));
          }}
        >
          As a note
        </button>
        <button
          type="button"
          className="key flex-1"
          onClick={() => {
            onDone();
            void apply(plain("notes.delete", { where, cues: true }));
          }}
        >
          Delete
        </button>
      </div>
    </>
  );
}

/** The cues of one key: music on the same key is none of them. */
function idsOf(part: PartScore, pitch: number): [number, number][] {
  return part.cues.filter((cue) => cue.pitch === pitch).map(({ id }) => [id, id]);
}
