/** Record and stop, in the transport; what happens is told in words beside it. */
import { useEffect } from "react";
import { desk, set, useDesk } from "../desk/take/state";
import { openOutputs } from "./outputs";
import { again, drop, isRecording, listen, passesLeft, recordOrStop, useRecorder } from "./recorder";
import { openRetouch } from "./retouch";

/** What was played on an earlier visit, and neither kept nor let go of, is told as soon as the take is open. */
async function tellLeft(takeId: string): Promise<void> {
  const left = await passesLeft(takeId).catch(() => []);
  if (!left.length || desk().score?.id !== takeId || desk().rigOpen) return;
  const text =
    left.length === 1 ? "A pass that was played in was not kept." : `${left.length} passes were not kept.`;
  set({ notice: { text, action: { label: "See to it", run: () => set({ rigOpen: true }) } } });
}

/** The keys of recording come before any other of the desk. */
function watchKeys(): () => void {
  const press = (event: KeyboardEvent) => {
    const typing = (event.target as HTMLElement).closest(
      "input:not([type=range],[type=checkbox]),textarea,select",
    );
    if (typing || event.defaultPrevented) return;
    const starts = event.key === "Enter" && event.shiftKey;
    const drops = event.key === "Escape" && isRecording();
    const anew = event.key === "Backspace" && isRecording();
    const stops = event.key === " " && isRecording();
    if (!(starts || drops || anew || stops)) return;
    event.preventDefault();
    event.stopPropagation();
    if (drops) drop();
    else if (anew) void again();
    else recordOrStop();
  };
  window.addEventListener("keydown", press, true);
  return () => window.removeEventListener("keydown", press, true);
}

export function RecordKey() {
  const { phase, left, messages, problem } = useRecorder();
  const score = useDesk((state) => state.score);
  useEffect(listen, []);
  useEffect(openRetouch, []);
  const takeId = score?.id;
  useEffect(() => {
    if (takeId) void tellLeft(takeId);
  }, [takeId]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: each take has its own
  useEffect(openOutputs, [takeId]);
  useEffect(watchKeys, []);
  const on = phase === "counting" || phase === "recording";
  const words =
    phase === "counting"
      ? `In ${left || "…"}`
      : phase === "recording"
        ? `Recording, ${messages} ${messages === 1 ? "message" : "messages"}`
        : phase === "keeping"
          ? "Keeping …"
          : (problem ?? "");
  return (
    <>
      <button
        type="button"
        className="key aria-pressed:border-accent aria-pressed:bg-accent aria-pressed:text-sheet"
        aria-pressed={on}
        data-record
        disabled={!score || phase === "keeping"}
        title="Record from here on (Shift+Enter); while recording: Escape drops it, Backspace drops it and begins again"
        onClick={recordOrStop}
      >
        <svg viewBox="0 0 16 16" className="h-3.5 w-3.5" aria-hidden fill="currentColor">
          {on ? <path d="M4 4h8v8H4z" /> : <circle cx="8" cy="8" r="5.5" />}
        </svg>
        {on ? "Stop" : <span className="max-[1150px]:sr-only">Record</span>}
      </button>
      {words && (
        <span role="status" className="w-52 truncate font-semibold text-accent-deep" data-testid="recording">
          {words}
        </span>
      )}
    </>
  );
}
