import type { ReactNode } from "react";
import { player, usePlayer } from "../../sound/player";
import { Check } from "../../ui/Entries";
import { goTo, playOrStop } from "../actions/moves";
import { inWordsOf } from "../hand/hand";
import { wish } from "../take/arranging";
import { set, useDesk } from "../take/state";
import { Clock } from "./Clock";
import { GridChoice } from "./GridChoice";

/** What moves the view. */
const RESTING = {
  mouse: "Wheel: through time. Shift: up and down. Ctrl or pinch: closer.",
  touch: "Two fingers: through time and closer. Hold still, then draw: off the grid.",
  pen: "Two fingers: through time and closer. Hold the pen still, then draw: off the grid.",
};

/** Play and stop, repeat, before and after, and where it is; under it the line that says what the pointer would do. */
export function Transport({ record, onKeys }: { record: ReactNode; onKeys: () => void }) {
  const { recording, level, problem } = usePlayer();
  const hand = useDesk((state) => state.hand);
  const hint = useDesk((state) => inWordsOf(state.hand, state.hint));
  return (
    <footer className="border-t border-rule-strong bg-sheet">
      <div className="flex items-center gap-2 px-4 pt-2 whitespace-nowrap folded:flex-wrap folded:px-2">
        <PlayKeys record={record} />
        <Ears />
        <Clock />
        <Checks />
        <div className="flex-1 folded:hidden" />
        {!recording && <GridChoice />}
        <label className="ml-2 flex items-center gap-2 text-faded">
          Level
          <input
            type="range"
            min={0}
            max={1.4}
            step={0.05}
            value={level}
            onChange={(event) => player.setLevel(Number(event.target.value))}
            className="w-24 accent-ink max-[1150px]:w-14"
          />
        </label>
        <button
          type="button"
          className="key w-8 px-0"
          aria-label="All keys"
          title="All keys (?)"
          onClick={onKeys}
        >
          ?
        </button>
      </div>
      <p className="h-7 truncate px-4 pt-1 text-[13px] text-faded" data-testid="hint">
        {problem ? <span className="text-accent-deep">{problem}</span> : hint || RESTING[hand]}
      </p>
    </footer>
  );
}

function PlayKeys({ record }: { record: ReactNode }) {
  const { playing, recording, looping } = usePlayer();
  const hasSpan = useDesk((state) => state.span !== null);
  return (
    <>
      <button type="button" className="key w-10 px-0" aria-label="Back to the start" onClick={() => goTo(0)}>
        <svg viewBox="0 0 16 16" className="h-4 w-4" aria-hidden fill="currentColor">
          <path d="M3 3h2v10H3zM14 3v10L6 8z" />
        </svg>
      </button>
      <button
        type="button"
        className={`key w-24 ${recording ? "" : "key-warm"}`}
        disabled={recording}
        onClick={playOrStop}
      >
        <svg viewBox="0 0 16 16" className="h-4 w-4" aria-hidden fill="currentColor">
          <path d={playing && !recording ? "M4 4h8v8H4z" : "M4 2.5v11l9-5.5z"} />
        </svg>
        {playing && !recording ? "Stop" : "Play"}
      </button>
      {record}
      <button
        type="button"
        className="key aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet"
        aria-pressed={looping}
        disabled={!hasSpan && !looping}
        title={hasSpan ? "Play the span again and again" : "Choose a span on the ruler first"}
        onClick={() => player.setLooping(!looping)}
      >
        <span>
          Repeat<span className="max-[1150px]:sr-only"> span</span>
        </span>
      </button>
    </>
  );
}

/** The take before what was done to it, or after. */
function Ears() {
  const { before } = usePlayer();
  const hasStrokes = useDesk((state) => state.history.strokes.length > 0);
  return (
    <fieldset className="ml-2 flex rounded-md border border-rule-strong" aria-label="What is heard and seen">
      {[true, false].map((one) => (
        <button
          key={String(one)}
          type="button"
          aria-pressed={before === one}
          disabled={!hasStrokes}
          onClick={() => player.flip(one)}
          className="h-[30px] px-3 first:rounded-l-[5px] last:rounded-r-[5px] disabled:text-ghost aria-pressed:not-disabled:bg-ink aria-pressed:not-disabled:text-sheet"
        >
          {one ? "Before" : "After"}
        </button>
      ))}
    </fieldset>
  );
}

/** What the page and the ears follow. */
function Checks() {
  const sounds = useDesk((state) => state.wishes.sounds ?? true);
  const metronome = useDesk((state) => state.wishes.metronome ?? false);
  const clickLevel = useDesk((state) => state.wishes.metronome_level ?? 0.5);
  const followsHead = useDesk((state) => state.followsHead);
  return (
    <span className="ml-2 flex items-center gap-3 text-faded">
      <Check words="Follow" on={followsHead} onChange={(on) => set({ followsHead: on })} />
      <Check
        words={
          <>
            Sound<span className="max-[1150px]:sr-only"> what I touch</span>
          </>
        }
        title="Notes sound as they are chosen and dragged"
        on={sounds}
        onChange={(on) => wish({ sounds: on })}
      />
      <span className="max-[1150px]:hidden">
        <Check
          words="Click"
          title="A metronome: the beats of the bars, while it plays"
          on={metronome}
          onChange={(on) => wish({ metronome: on })}
        />
      </span>
      {metronome && (
        <input
          type="range"
          aria-label="Level of the click"
          min={0}
          max={1}
          step={0.05}
          value={clickLevel}
          onChange={(event) => wish({ metronome_level: Number(event.target.value) })}
          className="w-12 accent-ink max-[1150px]:hidden"
        />
      )}
    </span>
  );
}
