import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { answered, api, type Schemas, sentence } from "../../api/client";
import { cueKeysOf, placeText, secondsAt } from "../../score/score";
import { player } from "../../sound/player";
import { TwoVersions, type Which } from "../../sound/twoVersions";
import type { Rendering } from "../../sound/wav";
import { Check, List } from "../../ui/Entries";
import { Progress } from "../../ui/Progress";
import { count } from "../../ui/words";
import { showing } from "../page/camera";
import { partName, routesOf, toFront } from "../take/arranging";
import { useRead } from "../take/reading";
import { desk, look, set, takePath, useDesk } from "../take/state";
import { Pane } from "./Pane";

type Comparison = Schemas["Comparison"];

/** With what the take is compared: as it was before a stroke, or another take. */
type With = ({ before: number } | { beside: string }) & { until?: number };

/** The take beside another, or beside what it was: in numbers, note by note and lane by lane, and by ear. */
export function Compare() {
  const strokes = useDesk((state) => state.history.strokes);
  const id = useDesk((state) => state.score?.id);
  const { data: takes } = useQuery({
    queryKey: ["takes"],
    queryFn: () => answered<Schemas["TakeCard"][]>(api.GET("/api/takes")),
  });
  const [chosen, setChosen] = useState("");
  const [until, setUntil] = useState("");
  const others = (takes ?? []).filter((one) => one.id !== id);
  const first = strokes[0]?.number;
  const value = chosen || (first ? `before ${first}` : others[0] ? `beside ${others[0].id}` : "");
  const [how, which] = value.split(" ");
  const point = until ? { until: Number(until) } : {};
  const other: With | null =
    how === "before" ? { before: Number(which), ...point } : which ? { beside: which, ...point } : null;
  return (
    <Pane
      name="Compare"
      onClose={() => set({ compareOpen: false })}
      beside={
        <>
          <List label="with it" called="Compare with" value={value} onChange={setChosen}>
            {strokes.map(({ number, mark }) => (
              <option key={number} value={`before ${number}`}>
                {number === first ? "as recorded" : `as before ${number}: ${mark.label}`}
              </option>
            ))}
            {others.map((one) => (
              <option key={one.id} value={`beside ${one.id}`}>
                {one.name}
              </option>
            ))}
          </List>
          <List label="this" called="What is compared" value={until} onChange={setUntil}>
            <option value="">as it is</option>
            {strokes.map(({ number, mark }) => (
              <option key={number} value={number}>
                as before {number}: {mark.label}
              </option>
            ))}
          </List>
        </>
      }
    >
      {other ? (
        <div className="grid min-h-0 flex-1 grid-cols-[17rem_22rem_minmax(0,1fr)] divide-x divide-rule overflow-y-auto folded:grid-cols-1 folded:divide-x-0">
          <Heard key={`${value} ${until}`} other={other} />
          <Differences other={other} />
        </div>
      ) : (
        <p className="px-3 py-2 text-faded">
          There is nothing to compare it with yet: neither a stroke nor another take.
        </p>
      )}
    </Pane>
  );
}

/** So much is rendered where no span is chosen. */
const MOST_SECONDS = 60;

function useVersions(other: With) {
  const [versions, setVersions] = useState<TwoVersions | null>(null);
  const [share, setShare] = useState<number | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const made = useRef<TwoVersions | null>(null);
  useEffect(() => () => made.current?.stop(), []);
  const prepare = async (): Promise<TwoVersions | null> => {
    setShare(0);
    setProblem(null);
    try {
      made.current?.stop();
      made.current = await TwoVersions.of(await asked(other), setShare);
      setVersions(made.current);
    } catch (thrown) {
      made.current = null;
      setProblem(sentence(thrown));
    }
    setShare(null);
    return made.current;
  };
  return { versions, share, problem, prepare };
}

/** The first is what it is compared with, the second the take as it is. */
async function asked(other: With): Promise<[Rendering, Rendering]> {
  const { score, span } = desk();
  if (!score) throw new Error("No take is open.");
  const [from, to] = span
    ? [secondsAt(score, span[0]), secondsAt(score, span[1])]
    : [0, Math.min(score.seconds, MOST_SECONDS)];
  const mine: Rendering = {
    takeId: score.id,
    from,
    to,
    patches: score.parts.map(({ patch }) => patch),
    routes: score.parts.map(({ id }) => [...routesOf(id)]),
    cues: score.parts.map(cueKeysOf),
  };
  if (other.until) mine.before = other.until;
  if ("before" in other) return [{ ...mine, before: other.before }, mine];
  const path = { take_id: other.beside };
  const view = await answered<Schemas["DeskView"]>(
    api.GET("/api/takes/{take_id}/view", { params: { path } }),
  );
  const theirs: Rendering = {
    takeId: other.beside,
    from,
    to,
    patches: view.parts.map(({ patch }) => patch),
    routes: view.parts.map(() => []),
    cues: view.parts.map(({ cues }) => [...new Set(cues.map(({ pitch }) => pitch))].sort((a, b) => a - b)),
  };
  return [theirs, mine];
}

/** By ear, at equal loudness; blind: which is which is told only after one was chosen. */
function Heard({ other }: { other: With }) {
  const { versions, share, problem, prepare } = useVersions(other);
  const [blind, setBlind] = useState(false);
  const [heard, setHeard] = useState<Which | null>(null);
  const [swapped, setSwapped] = useState(false);
  const [told, setTold] = useState<Which | null>(null);
  const truth = (shown: Which): Which => (swapped ? ((1 - shown) as Which) : shown);
  const hear = async (shown: Which) => {
    const now = versions ?? (await prepare());
    if (!now) return;
    player.stop();
    if (now.playing) now.turnTo(truth(shown));
    else now.play(truth(shown));
    setHeard(shown);
  };
  const stop = () => {
    versions?.stop();
    setHeard(null);
  };
  const goBlind = (on: boolean) => {
    stop();
    setBlind(on);
    setTold(null);
    // Which is which nobody knows.
    setSwapped(on && crypto.getRandomValues(new Uint8Array(1))[0]! % 2 === 1);
  };
  const plain = "before" in other ? ["As it was", "As it is"] : ["The other", "This one"];
  const names = blind && told === null ? ["One", "Two"] : [plain[truth(0)]!, plain[truth(1)]!];
  return (
    <div className="flex min-h-0 flex-col gap-2 px-3 py-2 text-[13px]">
      <p className="text-faded">
        By ear, at equal loudness: the chosen span, or the first minute, round and round.
      </p>
      {share !== null ? (
        <Progress share={share} label="Rendering both" />
      ) : (
        <div className="grid grid-cols-2 gap-1.5">
          {([0, 1] as const).map((shown) => (
            <button
              key={shown}
              type="button"
              className="key h-8 aria-pressed:border-ink aria-pressed:bg-ink aria-pressed:text-sheet"
              aria-pressed={heard === shown}
              onClick={() => void hear(shown)}
            >
              {names[shown]}
            </button>
          ))}
        </div>
      )}
      <Check words="Blind: not knowing which is which" on={blind} onChange={goBlind} />
      {blind && heard !== null && told === null && (
        <button type="button" className="key h-8" onClick={() => setTold(heard)}>
          I choose {heard === 0 ? "One" : "Two"}
        </button>
      )}
      {told !== null && (
        <p role="status" className="font-semibold">
          You chose: {plain[truth(told)]!.toLowerCase()}.
        </p>
      )}
      {heard !== null && (
        <button type="button" className="key mt-auto h-8" onClick={stop}>
          Stop
        </button>
      )}
      {problem && (
        <p role="alert" className="text-accent-deep">
          {problem}
        </p>
      )}
    </div>
  );
}

function Differences({ other }: { other: With }) {
  const found = useRead<Comparison>(["comparison", other], () =>
    api.GET("/api/takes/{take_id}/comparison", { params: { path: takePath(), query: other } }),
  );
  const score = useDesk((state) => state.score);
  if (!found || !score) return <p className="px-3 py-2 text-[13px] text-faded">Comparing …</p>;
  const nameOf = (part: number) => (score.parts[part] ? partName(score.parts[part]) : `part ${part + 1}`);
  const go = (part: number, span: [number, number], lane?: string) => {
    if (score.parts[part]) toFront(part);
    const air = 4 * score.resolution;
    look((camera, whole) => showing(camera, whole, Math.max(span[0] - air, 0), span[1] + air));
    if (lane) set({ activeLane: lane });
  };
  const untold = found.notes_in_all - found.notes.length;
  return (
    <>
      <ul
        className="min-h-0 overflow-y-auto px-3 py-2 text-[13px]"
        aria-label="Measures that differ"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by the keyboard
        tabIndex={0}
      >
        {found.measures.map(({ key, part, name, unit, one, other: then }) => (
          <li key={`${part} ${key}`} className="flex gap-2">
            <span className="w-24 shrink-0 truncate text-faded">{nameOf(part)}</span>
            <span className="min-w-0 flex-1 truncate">{name}</span>
            <span className="shrink-0 tabular-nums">
              {shown(one)} → {shown(then)} <span className="text-faded">{unit}</span>
            </span>
          </li>
        ))}
        {!found.measures.length && <li className="text-faded">No measure of how it is played differs.</li>}
      </ul>
      <ul className="min-h-0 overflow-y-auto px-3 py-2 text-[13px]" aria-label="What differs">
        {found.lanes.map((one) => (
          <Difference
            key={`${one.part} ${one.lane}`}
            place={placeText(score, one.spans[0]?.[0] ?? 0)}
            words={`${nameOf(one.part)}: ${one.says}`}
            onGo={() => go(one.part, one.spans[0] ?? [0, 1], one.lane)}
          />
        ))}
        {found.notes.map((one) => (
          <Difference
            key={`${one.part} ${one.tick} ${one.pitch} ${one.what}`}
            place={placeText(score, one.tick)}
            words={`${nameOf(one.part)}: ${WHAT[one.what]}${one.says}`}
            onGo={() => go(one.part, [one.tick, one.tick + score.resolution])}
          />
        ))}
        {untold > 0 && <li className="text-faded">And {count(untold, "note")} more.</li>}
        {!found.lanes.length && !found.notes.length && <li className="text-faded">Nothing differs.</li>}
      </ul>
    </>
  );
}

const WHAT = { gone: "only in the first, ", new: "only here, ", other: "" };

const shown = (value: number | null | undefined) =>
  value === null || value === undefined ? "none" : String(Math.round(value * 10) / 10).replace("-", "−");

function Difference({ place, words, onGo }: { place: string; words: string; onGo: () => void }) {
  return (
    <li>
      <button
        type="button"
        className="flex min-h-6 w-full gap-2 text-left hover:text-accent-deep"
        onClick={onGo}
      >
        <span className="w-14 shrink-0 text-faded tabular-nums">{place}</span>
        <span className="min-w-0 flex-1">{words}</span>
      </button>
    </li>
  );
}
