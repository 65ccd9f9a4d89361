import { useEffect, useRef, useState } from "react";
import { typedBars } from "../../score/bars";
import { placeText, secondsAt, tickAt } from "../../score/score";
import { player, usePlayer } from "../../sound/player";
import { clock } from "../../ui/words";
import { goTo } from "../actions/moves";
import { showing, xOf } from "../page/camera";
import { focusLane } from "../stage/laneSight";
import { chooseSpan } from "../take/choosing";
import { desk, look, set, useDesk } from "../take/state";

/** Bar and beat, and clock time; written past React, many times a second. */
export function Clock() {
  const place = useRef<HTMLSpanElement>(null);
  const time = useRef<HTMLSpanElement>(null);
  const typing = useDesk((state) => state.typesPlace);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the place is another element after typing
  useEffect(() => {
    let frame = 0;
    const show = () => {
      const { score } = desk();
      const seconds = player.position();
      if (place.current && score) place.current.textContent = placeText(score, tickAt(score, seconds));
      if (time.current) time.current.textContent = clock(seconds);
      frame = usePlayer.getState().playing ? requestAnimationFrame(show) : 0;
    };
    const wake = () => {
      if (!frame) frame = requestAnimationFrame(show);
    };
    wake();
    const stops = [
      usePlayer.subscribe(wake),
      useDesk.subscribe((now, was) => now.score !== was.score && wake()),
    ];
    return () => {
      cancelAnimationFrame(frame);
      for (const stop of stops) stop();
    };
  }, [typing]);
  return (
    <p className="ml-3 flex items-baseline gap-3">
      {typing ? (
        <PlaceEntry />
      ) : (
        <button
          type="button"
          title="Go to a bar, or choose bars by their numbers (j)"
          className="min-w-14 rounded text-right text-[19px] font-semibold hover:text-accent-deep"
          onClick={() => set({ typesPlace: true })}
        >
          <span ref={place} data-testid="place">
            1:1
          </span>
          <span className="sr-only">: go to a bar, or choose bars</span>
        </button>
      )}
      <span ref={time} className="text-faded">
        0:00
      </span>
    </p>
  );
}

/** Where to go, or which bars to choose, in numbers. */
function PlaceEntry() {
  const [words, setWords] = useState("");
  const [problem, setProblem] = useState<string | null>(null);
  const close = () => set({ typesPlace: false });
  /** The keys go on from the notes. */
  const leave = () => {
    close();
    requestAnimationFrame(() => focusLane("notes"));
  };
  const go = () => {
    const { score } = desk();
    if (!score || !words.trim()) return leave();
    const meant = typedBars(score, words);
    if ("problem" in meant) return setProblem(meant.problem);
    leave();
    if ("at" in meant) return goTo(secondsAt(score, meant.at));
    const [from, to] = meant.span;
    chooseSpan(meant.span);
    look((camera, whole) =>
      xOf(camera, from) < 0 || xOf(camera, to) > camera.width ? showing(camera, whole, from, to) : camera,
    );
  };
  return (
    <form
      className="relative"
      onSubmit={(event) => {
        event.preventDefault();
        go();
      }}
    >
      <input
        // biome-ignore lint/a11y/noAutofocus: the player has just asked to type here
        autoFocus
        aria-label="Bar, or bars"
        aria-invalid={problem !== null}
        placeholder="12 or 12–16"
        value={words}
        onChange={(event) => {
          setWords(event.target.value);
          setProblem(null);
        }}
        onKeyDown={(event) => event.key === "Escape" && leave()}
        onBlur={() => problem === null && close()}
        className="entry h-7 w-24"
      />
      {problem && (
        <p
          role="alert"
          className="absolute bottom-9 left-0 z-20 rounded-md border border-rule-strong bg-sheet px-2 py-1 text-[13px] text-accent-deep shadow-lg"
        >
          {problem}
        </p>
      )}
    </form>
  );
}
