import { type ReactNode, useEffect, useRef, useState } from "react";
import { api, type Schemas, sentence } from "../../api/client";
import { hand } from "../../api/download";
import { isUnderWay, type Job } from "../../api/jobs";
import { placeText } from "../../score/score";
import { Check, List } from "../../ui/Entries";
import { Progress } from "../../ui/Progress";
import { count } from "../../ui/words";
import { showing } from "../page/camera";
import { begin } from "../strokes/opening";
import { partName, toFront } from "../take/arranging";
import {
  ALL,
  type Away,
  archive,
  cameBack,
  formsLeft,
  type Kind,
  midiAddress,
  pageAddress,
  sheetAddress,
  sound,
  type Wanted,
} from "../take/goingOut";
import { useRead } from "../take/reading";
import { apply } from "../take/shaping";
import { desk, frontParts, look, set, takePath, useDesk } from "../take/state";
import { FileLink } from "./FileLink";
import { Load } from "./Load";
import { Pane } from "./Pane";

type Fault = Schemas["Fault"];

/** Every way out of the door in one place, and beside it what will not sound as drawn in the form that is chosen. */
export function WayOut() {
  const [wanted, setWanted] = useState(ALL);
  const want = (some: Partial<Wanted>) => setWanted((now) => ({ ...now, ...some }));
  return (
    <Pane
      name="Take it home"
      high="h-[17.5rem]"
      beside={
        <>
          <span className="text-faded">What is taken is the take as it is now.</span>
          <ComeBack />
        </>
      }
      onClose={() => set({ outOpen: false })}
    >
      <div className="grid min-h-0 flex-1 grid-cols-[20rem_20rem_minmax(0,1fr)] divide-x divide-rule overflow-y-auto folded:grid-cols-1 folded:divide-x-0">
        <Midi {...{ wanted, want }} />
        <Rest wanted={wanted} />
        <Lost wanted={wanted} onThin={(thin) => want({ thin })} />
      </div>
    </Pane>
  );
}

/** A file that was taken, and changed in another program, comes back: what differs is tried as a stroke. */
function ComeBack() {
  const [problem, setProblem] = useState<string | null>(null);
  const bring = async (file: File) => {
    setProblem(null);
    const made = await cameBack(file);
    if (typeof made === "string") setProblem(made);
    else begin(made);
  };
  return (
    <span className="flex min-w-0 items-center gap-2 text-[13px]">
      {problem && (
        <span role="alert" className="min-w-0 truncate text-accent-deep" title={problem}>
          {problem}
        </span>
      )}
      <label
        className="key h-7 shrink-0 px-2 focus-within:border-ink"
        title="What was changed in it is tried as one stroke; with a chosen span, of these bars alone"
      >
        It comes back changed …
        <input
          type="file"
          accept=".mid,.midi,.midi2"
          className="sr-only"
          onChange={(event) => {
            const file = event.target.files?.[0];
            event.target.value = "";
            if (file) void bring(file);
          }}
        />
      </label>
    </span>
  );
}

interface WantedProps {
  wanted: Wanted;
  want: (some: Partial<Wanted>) => void;
}

const KINDS: [Kind, string][] = [
  ["", "as its parts are sent"],
  ["plain", "plain: one channel a part"],
  ["mpe", "MPE: each note a channel"],
  ["clip", "MIDI 2.0 clip"],
];
const THINNED = [0, 0.5, 1, 2, 4, 8, 16];

/** What of it, and in which form. */
function Midi({ wanted, want }: WantedProps) {
  const span = useDesk((state) => state.span);
  const fronts = useDesk((state) => state.fronts);
  const isClip = wanted.kind === "clip";
  return (
    <div className="flex min-h-0 flex-col gap-1.5 px-3 py-2 text-[13px]">
      <List label="Form" value={wanted.kind} onChange={(kind) => want({ kind: kind as Kind })}>
        {KINDS.map(([kind, words]) => (
          <option key={kind} value={kind}>
            {words}
          </option>
        ))}
      </List>
      <List
        label="Parts"
        value={wanted.parts}
        onChange={(parts) => want({ parts: parts as Wanted["parts"] })}
      >
        <option value="all">all of them</option>
        <option value="front">{fronts.length === 1 ? "the one in front" : "those in front"}</option>
      </List>
      <List label="Bars" value={wanted.bars} onChange={(bars) => want({ bars: bars as Wanted["bars"] })}>
        <option value="all">all of them</option>
        <option value="span" disabled={!span}>
          {span ? "the chosen span" : "the chosen span (none is)"}
        </option>
      </List>
      <List
        label="Tracks"
        value={wanted.format}
        onChange={(format) => want({ format: format as Wanted["format"] })}
      >
        <option value="">as they came</option>
        <option value="1">one a part (format 1)</option>
        <option value="0">all in one (format 0)</option>
      </List>
      <List label="Ways may be off by" value={wanted.thin} onChange={(thin) => want({ thin: Number(thin) })}>
        {THINNED.map((steps) => (
          <option key={steps} value={steps}>
            {steps ? `${steps} ${steps === 1 ? "step" : "steps"}` : "nothing that is heard"}
          </option>
        ))}
      </List>
      <div className="mt-auto flex items-center justify-between gap-2">
        <Check words="With its cues" on={wanted.cues} onChange={(cues) => want({ cues })} />
        <FileLink href={midiAddress(wanted)} className="key">
          {isClip ? "Take the clip" : "Take the MIDI file"}
        </FileLink>
      </div>
    </div>
  );
}

/** The page, the sound, the paper, and everything at once. */
function Rest({ wanted }: { wanted: Wanted }) {
  const [withSound, setWithSound] = useState(false);
  const [left, setLeft] = useState<Job>();
  const job = useJob();
  // One that was asked for before is still being made, or waits to be fetched.
  useEffect(() => void formsLeft().then(setLeft, () => undefined), []);
  const pack = (earlier?: Job) =>
    job
      .run("Packing", (away) => archive(wanted, withSound, away, earlier))
      .then(formsLeft)
      .then(setLeft, () => undefined);
  const takeSound = (alone: number | null) =>
    job.run("Rendering", async (away) => {
      const { name, blob } = await sound(wanted, alone, away);
      hand(blob, name);
    });
  const each = () =>
    job.run("Rendering", async ({ signal, onShare }) => {
      const parts = wanted.parts === "front" ? frontParts() : (desk().score?.parts ?? []);
      for (const [row, part] of parts.entries()) {
        const share = (done: number) => onShare((row + done) / parts.length);
        const { name, blob } = await sound(wanted, part.id, { signal, onShare: share });
        hand(blob, name);
      }
    });
  return (
    <div className="flex min-h-0 flex-col gap-1.5 px-3 py-2 text-[13px]">
      <Row words="The page">
        {(["musicxml", "svg", "pdf"] as const).map((kind) => (
          <FileLink key={kind} href={pageAddress(kind, wanted)} className="key h-7 px-2">
            {kind === "musicxml" ? "MusicXML" : kind.toUpperCase()}
          </FileLink>
        ))}
      </Row>
      <Row words="What was done">
        <FileLink href={sheetAddress()} className="key h-7 px-2">
          PDF
        </FileLink>
      </Row>
      <Row words="As it sounds here">
        <button type="button" className="key h-7 px-2" disabled={job.busy} onClick={() => takeSound(null)}>
          WAV
        </button>
        <button type="button" className="key h-7 px-2" disabled={job.busy} onClick={() => void each()}>
          each part alone
        </button>
      </Row>
      <p className="text-faded">Of the page and the sound: the parts and bars chosen beside this.</p>
      <div className="mt-auto space-y-1.5">
        {job.busy ? (
          <>
            <Progress share={job.share} label={job.words} />
            <button type="button" className="key h-7 w-full" onClick={job.stop}>
              Stop
            </button>
          </>
        ) : (
          <>
            <Check words="With its sound" on={withSound} onChange={setWithSound} />
            <button type="button" className="key w-full justify-center" onClick={() => void pack()}>
              All forms as one archive (.zip)
            </button>
            {left && (
              <button type="button" className="key h-7 w-full justify-center" onClick={() => void pack(left)}>
                {isUnderWay(left)
                  ? "One is being made since before: wait for it"
                  : `Take the one that was made before (${(left.size / MIB).toFixed(1)} MiB)`}
              </button>
            )}
          </>
        )}
        {job.problem && (
          <p role="alert" className="text-accent-deep">
            {job.problem}
          </p>
        )}
      </div>
    </div>
  );
}

const MIB = 2 ** 20;

function Row({ words, children }: { words: string; children: ReactNode }) {
  return (
    <div className="flex min-h-7 items-center gap-1.5">
      <span className="mr-auto text-faded">{words}</span>
      {children}
    </div>
  );
}

/** One thing that takes its time in the page: how far it is, and how it is given up. */
function useJob() {
  const [words, setWords] = useState<string | null>(null);
  const [share, setShare] = useState(0);
  const [problem, setProblem] = useState<string | null>(null);
  const stopper = useRef<AbortController | null>(null);
  const run = async (what: string, work: (away: Away) => Promise<void>) => {
    const now = new AbortController();
    stopper.current = now;
    setProblem(null);
    setShare(0);
    setWords(what);
    try {
      await work({ signal: now.signal, onShare: setShare });
    } catch (thrown) {
      if (!now.signal.aborted) setProblem(sentence(thrown));
    }
    setWords(null);
  };
  return {
    busy: words !== null,
    words: words ?? "",
    share,
    problem,
    run,
    stop: () => stopper.current?.abort(),
  };
}

/** What will not sound as drawn in that form: each with its place, and the click that helps. */
function Lost({ wanted, onThin }: { wanted: Wanted; onThin: (steps: number) => void }) {
  const { kind, cues, format } = wanted;
  const query = { kind: kind || undefined, cues, one_track: format === "0" };
  const found = useRead<Fault[]>(["unsent", kind, cues, format], () =>
    api.GET("/api/takes/{take_id}/unsent", { params: { path: takePath(), query } }),
  );
  const load = useRead<Schemas["Wire"]>(["wire", kind], () => {
    const asked = { kind: kind === "clip" || !kind ? undefined : kind };
    return api.GET("/api/takes/{take_id}/wire", { params: { path: takePath(), query: asked } });
  });
  const fits = (one: Fault) => one.reason === "cable" && load?.thin && wanted.thin >= load.thin;
  const left = found?.filter((one) => !fits(one));
  const said = left
    ? left.length
      ? `Will not sound as drawn: ${count(left.length, "thing")}`
      : "All of it sounds as drawn in this form."
    : "Listening …";
  return (
    <div className="flex min-h-0 min-w-0 flex-col px-3 py-2 text-[13px]">
      <p role="status" className="text-faded">
        {said}
      </p>
      <ul className="min-h-0 flex-1 overflow-y-auto" aria-label="What will not sound as drawn">
        {left?.map((one) => (
          <LostRow
            key={`${one.part} ${one.lane} ${one.reason}`}
            one={one}
            thin={one.reason === "cable" ? (load?.thin ?? null) : null}
            onThin={onThin}
          />
        ))}
      </ul>
      {load && kind !== "clip" && <Load load={load} />}
    </div>
  );
}

interface LostProps {
  one: Fault;
  thin: number | null;
  onThin: (steps: number) => void;
}

function LostRow({ one, thin, onThin }: LostProps) {
  const score = useDesk((state) => state.score);
  const part = score?.parts[one.part];
  const [span] = one.spans;
  if (!score || !part) return null;
  const go = () => {
    toFront(part.id);
    const air = 4 * score.resolution;
    if (span) look((camera, whole) => showing(camera, whole, Math.max(span[0] - air, 0), span[1] + air));
    if (one.lane) set({ activeLane: one.lane });
  };
  const { stroke } = one;
  return (
    <li className="flex min-h-8 items-center gap-2 border-b border-rule py-0.5">
      <button type="button" className="min-h-6 min-w-0 flex-1 text-left hover:text-accent-deep" onClick={go}>
        <span className="font-semibold">{partName(part)}</span> {one.says}
      </button>
      {span && <span className="shrink-0 text-faded">{placeText(score, span[0])}</span>}
      {stroke && (
        <button type="button" className="key h-6 shrink-0 px-2" onClick={() => void apply(stroke)}>
          {one.mend}
        </button>
      )}
      {thin !== null && (
        <button type="button" className="key h-6 shrink-0 px-2" onClick={() => onThin(thin)}>
          Thin by {thin} {thin === 1 ? "step" : "steps"}
        </button>
      )}
    </li>
  );
}
