/** Playing in: what is armed and how it is recorded, and an instrument of the page's own to do it on. */
import { partName } from "../desk/take/arranging";
import { set as setDesk, useDesk } from "../desk/take/state";
import { Check, List } from "../ui/Entries";
import { NumberEntry } from "../ui/NumberEntry";
import { addPart } from "./armed";
import { Bars } from "./Bars";
import { Inside } from "./Inside";
import { Instruments } from "./Instruments";
import { Keyboard } from "./Keyboard";
import { Outputs } from "./Outputs";
import { type ClickWhen, keepPlayed, type Mode, playedBefore, set, useRecorder } from "./recorder";
import { setRetouch, useRetouch } from "./retouch";
import { TapTest } from "./TapTest";
import { Waiting } from "./Waiting";

const MODES: readonly [Mode, string, string][] = [
  ["merge", "added", "Notes and controllers are added to what is there"],
  ["replace", "in place", "In place of all that is there, over the bars that are played"],
  ["touch", "where I touch", "Lanes give way only where their control is moved; notes stay"],
];

/** Kinds that can be left out before recording. */
export const LEAVE_OUT: readonly [string, string][] = [
  ["notes", "notes"],
  ["bend", "bend"],
  ["pressure", "pressure"],
  ["key pressure", "key pressure"],
  ["pedals", "pedals"],
  ["cc:1", "mod wheel"],
  ["cc:7", "volume"],
];

export function Rig() {
  const phase = useRecorder((state) => state.phase);
  return (
    <section
      aria-label="Play in"
      className="flex h-[248px] shrink-0 flex-col border-t border-rule-strong bg-sheet"
    >
      <div className="flex h-9 shrink-0 items-center gap-4 border-b border-rule px-4 text-[13px]">
        <h2 className="text-[15px] font-semibold">Play in</h2>
        <Armed />
        <How />
        <Retouch />
        <div className="flex-1" />
        <Waiting />
        <button type="button" className="key h-7" onClick={() => setDesk({ rigOpen: false })}>
          Close
        </button>
      </div>
      <div className="flex min-h-0 flex-1 gap-5 px-4 py-2" aria-busy={phase !== "idle"}>
        <Counting />
        <Keyboard />
        <div className="flex w-64 shrink-0 flex-col gap-2 overflow-y-auto text-[13px]">
          <Instruments />
          <Bars />
          <Outputs />
          <Inside />
        </div>
      </div>
    </section>
  );
}

/** Which part is played; a new one comes at the end. */
function Armed() {
  const parts = useDesk((state) => state.score?.parts);
  const lead = useDesk((state) => state.fronts[0]);
  const armed = useRecorder((state) => state.armed);
  const arrangement = useDesk((state) => state.arrangement);
  const phase = useRecorder((state) => state.phase);
  if (!parts) return null;
  const front = parts[lead ?? 0];
  const choose = (value: string) => {
    if (value === "new") void addPart();
    else set({ armed: value === "lead" ? null : Number(value) });
  };
  return (
    <List label="Part" called="Part that is played" value={armed ?? "lead"} onChange={choose}>
      <option value="lead">{`the one in front (${front ? partName(front, arrangement) : ""})`}</option>
      {parts.map((part) => (
        <option key={part.id} value={part.id} disabled={phase !== "idle"}>
          {partName(part, arrangement)}
        </option>
      ))}
      <option value="new">a new part …</option>
    </List>
  );
}

function How() {
  const mode = useRecorder((state) => state.mode);
  return (
    <fieldset
      className="flex items-center rounded-md border border-rule-strong"
      aria-label="What a pass does"
    >
      {MODES.map(([one, words, title]) => (
        <button
          key={one}
          type="button"
          aria-pressed={mode === one}
          title={title}
          onClick={() => set({ mode: one })}
          className="h-[26px] px-2.5 first:rounded-l-[5px] last:rounded-r-[5px] aria-pressed:bg-ink aria-pressed:text-sheet"
        >
          {words}
        </button>
      ))}
    </fieldset>
  );
}

/** While the take plays, a control draws on the lane that is open. */
function Retouch() {
  const { on, control } = useRetouch();
  return (
    <Check
      words={on ? `Retouch by ${control ?? "the control that moves next"}` : "Retouch"}
      title="While a span goes round, move a control: it draws on the lane that Shape acts on"
      on={on}
      onChange={setRetouch}
    />
  );
}

/** Count-in, click, and what is left out. */
function Counting() {
  const { countIn, click, clickLevel, shift } = useRecorder();
  const remembered = useRecorder((state) => state.messages + state.remembered);
  return (
    <div className="grid w-[25rem] shrink-0 grid-cols-[14.5rem_1fr] gap-x-5 overflow-y-auto text-[13px]">
      <div className="flex flex-col gap-1.5">
        <List label="Count-in" value={countIn} onChange={(bars) => set({ countIn: Number(bars) })}>
          {[0, 1, 2, 3, 4].map((bars) => (
            <option key={bars} value={bars}>
              {bars === 1 ? "1 bar" : `${bars} bars`}
            </option>
          ))}
        </List>
        <List label="Click" value={click} onChange={(when) => set({ click: when as ClickWhen })}>
          <option value="off">off</option>
          <option value="count-in">in the count-in</option>
          <option value="throughout">throughout</option>
        </List>
        <label className="flex items-center justify-between gap-2 text-faded">
          Click level
          <input
            type="range"
            min={0}
            max={1}
            step={0.05}
            value={clickLevel}
            onChange={(event) => set({ clickLevel: Number(event.target.value) })}
            className="w-24 accent-ink"
          />
        </label>
        <NumberEntry
          label="Counts as later by, ms"
          value={shift}
          step={5}
          limits={[-2000, 2000]}
          onKeep={(ms) => set({ shift: Math.min(Math.max(ms, -2000), 2000) })}
        />
        <TapTest />
        <button
          type="button"
          className="key h-7 shrink-0"
          disabled={!remembered || !playedBefore()}
          title="What was played in the last five minutes without recording"
          onClick={() => void keepPlayed()}
        >
          Keep what I just played
        </button>
      </div>
      <LeaveOut />
    </div>
  );
}

function LeaveOut() {
  const leaveOut = useRecorder((state) => state.leaveOut);
  return (
    <fieldset className="[&_label]:min-h-6">
      <legend className="text-faded">Leave out</legend>
      <div className="flex flex-col">
        {LEAVE_OUT.map(([kind, words]) => (
          <Check
            key={kind}
            words={words}
            on={leaveOut.includes(kind)}
            onChange={(on) =>
              set({ leaveOut: on ? [...leaveOut, kind] : leaveOut.filter((one) => one !== kind) })
            }
          />
        ))}
      </div>
    </fieldset>
  );
}
