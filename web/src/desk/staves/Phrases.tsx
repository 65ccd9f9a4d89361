import { type KeyboardEvent, type MouseEvent, type PointerEvent, useEffect, useState } from "react";
import { type PartScore, placeText } from "../../score/score";
import { type Camera, GUTTER, tickOf, xOf } from "../page/camera";
import { bringPhrases } from "../take/phraseKeys";
import { choosePhrase, joinPhrase, movePhrase, onsetNear, splitPhrase } from "../take/phrases";
import { desk, leadPart, useDesk } from "../take/state";

/** Where the beginning of a phrase is taken by hand. */
const EDGE_PIXELS = 10;
/** Narrower ones are drawn, and taken by keys or from closer by. */
const LEAST_TARGET = 24;
/** No two brackets are drawn closer together. */
const LEAST_APART = 3;

interface Held {
  row: number;
  tick: number;
}

/**
 * Where the line of the leading part breathes: thin brackets, one stop of Tab. A click chooses the notes of a phrase; its
 * beginning is dragged, or moved with Alt and the arrow keys; a double click begins one, Delete lets it go on.
 */
export function Phrases({ camera }: { camera: Camera }) {
  const part = useDesk(leadPart);
  const [current, setCurrent] = useState(0);
  const [held, setHeld] = useState<Held | null>(null);
  useEffect(() => void bringPhrases(), []);
  if (!part?.phrases.length) return null;
  const focused = Math.min(current, part.phrases.length - 1);
  const placeOf = (row: number) => {
    const phrase = part.phrases[row]!;
    const begins = held?.row === row ? held.tick : phrase.start;
    const ends = held?.row === row + 1 ? Math.min(phrase.end, held.tick) : phrase.end;
    return { left: xOf(camera, begins) - GUTTER, width: (ends - begins) * camera.perTick - 2 };
  };
  return (
    <fieldset aria-label="Phrases" className="absolute inset-0">
      <svg aria-hidden className="pointer-events-none absolute inset-0 h-full w-full text-faded">
        <path d={brackets(part, camera, placeOf)} fill="none" stroke="currentColor" />
      </svg>
      {part.phrases.map((phrase, row) => {
        const { left, width } = placeOf(row);
        const isSeen = left + width >= 0 && left <= camera.width && width >= LEAST_TARGET;
        if (!isSeen && row !== focused) return null;
        return (
          <Bracket
            key={phrase.start}
            part={part}
            row={row}
            stops={row === focused}
            place={{ left, width: Math.max(width, LEAST_TARGET) }}
            camera={camera}
            onFocus={() => setCurrent(row)}
            onHold={setHeld}
          />
        );
      })}
    </fieldset>
  );
}

/** All brackets in sight, and the small strokes with which groups begin, as one path. */
function brackets(
  part: PartScore,
  camera: Camera,
  placeOf: (row: number) => { left: number; width: number },
): string {
  let [path, free] = ["", Number.NEGATIVE_INFINITY];
  for (let row = 0; row < part.phrases.length; row++) {
    const { left, width } = placeOf(row);
    if (left + width < 0 || left < free) continue;
    if (left > camera.width) break;
    free = left + LEAST_APART;
    const x = left + 0.5;
    path += `M${x} 10V6Q${x} 4.5 ${x + 2} 4.5H${x + Math.max(width, 2)}`;
    const { start, groups } = part.phrases[row]!;
    for (const tick of groups) {
      const at = left + (tick - start) * camera.perTick;
      // Where the next phrase begins is its own.
      if (at < free || at > left + width) continue;
      free = at + LEAST_APART;
      path += `M${at + 0.5} 4.5V8`;
    }
  }
  return path;
}

interface BracketProps {
  part: PartScore;
  row: number;
  stops: boolean;
  place: { left: number; width: number };
  camera: Camera;
  onFocus: () => void;
  onHold: (held: Held | null) => void;
}

function Bracket({ part, row, stops, place, camera, onFocus, onHold }: BracketProps) {
  const score = useDesk((state) => state.score);
  const { start } = part.phrases[row]!;
  const tickUnder = (event: MouseEvent<HTMLElement>) => {
    const box = event.currentTarget.parentElement!.getBoundingClientRect();
    return tickOf(camera, event.clientX - box.left + GUTTER);
  };
  const take = (event: PointerEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    if (row > 0 && event.clientX - box.left <= EDGE_PIXELS)
      event.currentTarget.setPointerCapture(event.pointerId);
  };
  const drag = (event: PointerEvent<HTMLElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    onHold({ row, tick: onsetNear(part, tickUnder(event)) ?? start });
  };
  const drop = (event: PointerEvent<HTMLElement>) => {
    if (!event.currentTarget.hasPointerCapture(event.pointerId)) return;
    onHold(null);
    movePhrase(part, row, tickUnder(event));
  };
  return (
    <button
      type="button"
      tabIndex={stops ? 0 : -1}
      data-phrase={row}
      aria-label={score ? `Phrase ${row + 1}, from ${placeText(score, start)}` : `Phrase ${row + 1}`}
      title="Click: its notes are chosen. Drag its beginning; double click: one begins there; Delete: it goes on"
      onFocus={onFocus}
      onClick={(event) => choosePhrase(part, row, event.shiftKey)}
      onDoubleClick={(event) => splitPhrase(part, tickUnder(event))}
      onKeyDown={(event) => press(event, part, row)}
      onPointerDown={take}
      onPointerMove={drag}
      onPointerUp={drop}
      onPointerCancel={() => onHold(null)}
      style={place}
      className="absolute inset-y-0 touch-none text-transparent hover:text-accent focus-visible:text-accent"
    >
      <span
        aria-hidden
        className="absolute inset-x-0 top-1 h-1.5 rounded-tl border-t border-l border-current"
      />
      {row > 0 && (
        <span
          aria-hidden
          className="absolute inset-y-0 left-0 cursor-ew-resize"
          style={{ width: EDGE_PIXELS }}
        />
      )}
    </button>
  );
}

/** To the ones beside it, and what a hand does with it. */
function press(event: KeyboardEvent<HTMLElement>, part: PartScore, row: number): void {
  const by = event.key === "ArrowRight" ? 1 : event.key === "ArrowLeft" ? -1 : 0;
  const deletes = event.key === "Delete" || event.key === "Backspace";
  if (!by && !deletes) return;
  event.preventDefault();
  event.stopPropagation();
  if (deletes) joinPhrase(part, row);
  else if (event.altKey) movePhrase(part, row, onsetNear(part, part.phrases[row]!.start, by) ?? -1);
  else focusPhrase(event.currentTarget, row + by);
  // What was moved has another beginning, and is drawn anew: the focus goes with it.
  if (deletes || event.altKey) refocus(event.currentTarget, deletes ? row - 1 : row);
}

function focusPhrase(from: HTMLElement, row: number): void {
  from.parentElement?.querySelector<HTMLElement>(`[data-phrase="${row}"]`)?.focus();
}

function refocus(from: HTMLElement, row: number): void {
  const home = from.parentElement;
  const before = leadPart(desk())?.phrases;
  const stop = useDesk.subscribe((state) => {
    if (leadPart(state)?.phrases === before) return;
    stop();
    requestAnimationFrame(() =>
      home?.querySelector<HTMLElement>(`[data-phrase="${Math.max(row, 0)}"]`)?.focus(),
    );
  });
}
