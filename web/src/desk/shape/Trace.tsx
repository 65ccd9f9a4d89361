import { useState } from "react";
import type { LaneKind, Stroke } from "../../api/client";
import { BEND } from "../../score/lanes";
import { Check } from "../../ui/Entries";
import { NumberEntry } from "../../ui/NumberEntry";
import { Progress } from "../../ui/Progress";
import type { TakeAudio } from "../page/draw/lane";
import { begin } from "../strokes/opening";
import { hearSound, loadSound, moveSound, removeSound } from "../take/audio";
import { inFront, onLead } from "../take/choosing";
import { useDesk } from "../take/state";
import { followSound, shineSound, singSound, strikeSound, traceSound } from "../take/tune";

/** A recorded sound beside the take: drawn behind the lanes, heard with it, and a lane made from its loudness. */
export function Trace({ kind, sliding }: { kind: LaneKind; sliding: boolean }) {
  const sound = useDesk((state) => state.sound);
  const [problem, setProblem] = useState<string | null>(null);
  const [share, setShare] = useState<number | null>(null);
  const load = async (file: File) => {
    setProblem(null);
    setShare(0);
    setProblem(await loadSound(file, setShare));
    setShare(null);
  };
  return (
    <fieldset className="space-y-1.5 border-t border-rule pt-2" aria-label="Trace a sound">
      <p className="text-[13px] text-faded">
        {sound
          ? `${sound.name}, ${sound.seconds.toFixed(1)} s`
          : "A recorded sound can be drawn against or traced."}
      </p>
      <div className="grid grid-cols-2 gap-1.5">
        <label className="key h-8 text-[13px] focus-within:border-ink">
          {sound ? "Another WAV …" : "Load a WAV …"}
          <input
            type="file"
            accept=".wav,audio/wav"
            className="sr-only"
            disabled={share !== null}
            onChange={(event) => {
              const file = event.target.files?.[0];
              event.target.value = "";
              if (file) void load(file);
            }}
          />
        </label>
        {sound && (
          <button type="button" className="key h-8 text-[13px]" onClick={() => void removeSound()}>
            Remove
          </button>
        )}
      </div>
      {share !== null && <Progress share={share > 0 ? share : null} label="Reading the sound" />}
      {problem && (
        <p role="alert" className="text-[13px] text-accent-deep">
          {problem}
        </p>
      )}
      {sound && <Follow {...{ sound, kind, sliding, setProblem }} />}
      {sound && <Sung {...{ sound, kind, sliding, setProblem }} />}
    </fieldset>
  );
}

/** What the sound sings, once that was measured: into the wheel, into this lane, or as places of notes. */
function Sung({ sound, kind, sliding, setProblem }: FollowProps) {
  const [share, setShare] = useState<number | null>(null);
  const [correction, setCorrection] = useState(1);
  const follow = async () => {
    setShare(0);
    setProblem(await followSound(setShare));
    setShare(null);
  };
  const draw = async (asked: Promise<Stroke | string>) => {
    const made = await asked;
    setProblem(typeof made === "string" ? made : null);
    if (typeof made !== "string") begin(made);
  };
  if (!sound.followed)
    return share === null ? (
      <button type="button" className="key h-8 w-full text-[13px]" onClick={() => void follow()}>
        Follow its pitch, brightness and attacks
      </button>
    ) : (
      <Progress share={share > 0 ? share : null} label="Following the sound" />
    );
  return (
    <>
      <NumberEntry label="In tune" step={0.1} value={correction} limits={[0, 1]} onTry={setCorrection} />
      <div className="grid grid-cols-2 gap-1.5">
        <button
          type="button"
          className="key h-8 text-[13px]"
          onClick={() => void draw(singSound(correction, "bend"))}
        >
          Pitch to the wheel
        </button>
        <button
          type="button"
          className="key h-8 text-[13px]"
          onClick={() => void draw(singSound(correction, "note:pitch"))}
        >
          Pitch to its notes
        </button>
      </div>
      {sliding && kind.key !== BEND && (
        <button
          type="button"
          className="key h-8 w-full text-[13px]"
          onClick={() => void draw(shineSound(kind.key, kind.low, kind.high))}
        >
          Brightness to this lane
        </button>
      )}
      <button
        type="button"
        className="key h-8 w-full text-[13px]"
        onClick={() => void draw(strikeSound({ ...inFront(), ...onLead() }))}
      >
        Notes to its attacks
      </button>
    </>
  );
}

interface FollowProps {
  sound: TakeAudio;
  kind: LaneKind;
  sliding: boolean;
  setProblem: (problem: string | null) => void;
}

/** Where the sound lies, and how its loudness becomes values of the lane. */
function Follow({ sound, kind, sliding, setProblem }: FollowProps) {
  const [numbers, setNumbers] = useState({ attack: 10, release: 120, low: kind.middle, high: kind.high });
  const [linear, setLinear] = useState(false);
  const entry = (name: keyof typeof numbers, label: string, step: number) => (
    <NumberEntry
      label={label}
      step={step}
      value={numbers[name]}
      onTry={(value) => setNumbers((all) => ({ ...all, [name]: value }))}
    />
  );
  const trace = async () => {
    const made = await traceSound(kind.key, { ...numbers, linear });
    setProblem(typeof made === "string" ? made : null);
    if (typeof made !== "string") begin(made);
  };
  return (
    <>
      <div className="grid grid-cols-2 gap-x-4 gap-y-1.5">
        <NumberEntry label="Begins (s)" step={0.05} value={sound.offset} onKeep={moveSound} />
        <Check words="Heard" on={sound.heard} onChange={(heard) => void hearSound(heard)} />
        {entry("attack", "Attack (ms)", 5)}
        {entry("release", "Release (ms)", 10)}
        {entry("low", "Silent at", 1)}
        {entry("high", "Loudest at", 1)}
      </div>
      {sliding && (
        <>
          <Check words="By the height of the wave, not by decibels" on={linear} onChange={setLinear} />
          <button type="button" className="key h-8 w-full text-[13px]" onClick={() => void trace()}>
            Loudness to this lane
          </button>
        </>
      )}
    </>
  );
}
