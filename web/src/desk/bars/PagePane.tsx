import { type RefObject, useEffect, useRef, useState } from "react";
import { answered, api, type Schemas, sentence } from "../../api/client";
import { rowOfId } from "../../score/part";
import { type PartScore, placeOf, type Score, tickAt } from "../../score/score";
import { player, usePlayer } from "../../sound/player";
import { List } from "../../ui/Entries";
import { choosePressed } from "../hand/picking";
import { rightTick } from "../page/camera";
import { noteName, partName, renamePart } from "../take/arranging";
import { desk, frontParts, leadPart, set, takePath, useDesk } from "../take/state";
import { FileLink } from "./FileLink";
import { Measures } from "./Measures";

type Sheet = Schemas["SheetView"];

/** A camera that moves asks for no page until it has rested. */
const REST_MS = 140;
const MOST_BARS = 32;
const FOLLOW_MS = 60;

/** The parts in front as staff notation, over the bars in sight. */
export function PagePane() {
  const score = useDesk((state) => state.score);
  const wanted = useWanted();
  const { sheet, problem } = useSheet(wanted);
  const paper = useRef<HTMLDivElement>(null);
  const drawn = useDrawn(paper, sheet);
  useChosen(paper, drawn);
  useHead(paper, drawn);
  if (!score) return null;
  const names = frontParts().map((part) => partName(part));
  const last = sheet ? sheet.first + sheet.count - 1 : 0;
  const file = (kind: string) =>
    `/api/takes/${score.id}/page/${kind}?parts=${wanted.parts}&first=${wanted.first}&count=${wanted.count}`;
  return (
    <section
      aria-label="The page"
      className="flex h-[250px] shrink-0 flex-col border-t border-rule-strong bg-sheet"
    >
      <div className="flex h-9 shrink-0 items-center gap-3 border-b border-rule px-4 text-[13px]">
        <h2 className="text-[15px] font-semibold">The page</h2>
        <span className="min-w-0 flex-1 truncate text-faded" aria-live="polite">
          {sheet && `bars ${sheet.first}–${last}: ${names.join(", ")}`}
          {sheet?.remarks.map((remark) => ` ${remark}`)}
        </span>
        <Hands />
        {["musicxml", "svg", "pdf"].map((kind) => (
          <FileLink
            key={kind}
            href={file(kind)}
            className="inline-flex min-h-6 min-w-6 items-center underline hover:text-accent-deep"
            title={kind === "musicxml" ? "The whole take of these parts" : "The bars in sight"}
          >
            {kind === "musicxml" ? "MusicXML" : kind.toUpperCase()}
          </FileLink>
        ))}
        <button type="button" className="key h-7" onClick={() => set({ pageOpen: false })}>
          Close
        </button>
      </div>
      {problem && (
        <p role="alert" className="px-4 py-2 text-accent-deep">
          {problem}
        </p>
      )}
      <section
        className="min-h-0 flex-1 overflow-auto"
        aria-label="Staves of the page"
        // biome-ignore lint/a11y/noNoninteractiveTabindex: what scrolls is reached by the keyboard
        tabIndex={0}
      >
        {/* What is engraved is drawn for the eye; the list beside it says the same. */}
        <div ref={paper} className="sheet-music" data-testid="sheet" aria-hidden />
        {sheet && <Measures first={sheet.first} count={sheet.count} />}
      </section>
    </section>
  );
}

/** From which key on the notes of the leading part are for the right hand. */
function Hands() {
  const part = useDesk((state) => leadPart(state));
  const split = useDesk((state) => (part ? state.arrangement.parts?.[part.id]?.split : null));
  useDesk((state) => state.wishes);
  if (!part || part.drum) return null;
  return (
    <List
      label="Hands part at"
      className="whitespace-nowrap"
      value={split ?? ""}
      onChange={(key) => renamePart(part.id, { split: key ? Number(key) : null })}
    >
      <option value="">as it lies</option>
      {SPLITS.map((key) => (
        <option key={key} value={key}>
          {noteName(key)}
        </option>
      ))}
    </List>
  );
}

const SPLITS = Array.from({ length: 49 }, (_, step) => 36 + step);

interface Wanted {
  parts: string;
  first: number;
  count: number;
  width: number;
  before: number | undefined;
  revision: number;
  /** Where the hands of these parts are told apart. */
  splits: string;
}

/** Which page is wanted: of the bars in sight, once the camera rests; as it was before, where that is heard. */
function useWanted(): Wanted {
  const fronts = useDesk((state) => state.fronts);
  const revision = useDesk((state) => state.history.revision);
  const bars = useDesk(({ score, camera }) => {
    if (!score) return "1 1";
    const first = placeOf(score, Math.max(camera.left, 0)).bar;
    const last = placeOf(score, Math.max(Math.min(rightTick(camera), score.end) - 1, 0)).bar;
    return `${first} ${Math.min(Math.max(last - first + 1, 1), MOST_BARS)}`;
  });
  const width = useDesk(
    (state) => Math.round((state.camera.width + (state.panelOpen ? 290 : 0) - 40) / 40) * 40,
  );
  const showsBefore = usePlayer((state) => state.before);
  const against = usePlayer((state) => state.against);
  const [rested, setRested] = useState(bars);
  useEffect(() => {
    const timer = window.setTimeout(() => setRested(bars), REST_MS);
    return () => window.clearTimeout(timer);
  }, [bars]);
  const [first = 0, count = 0] = rested.split(" ").map(Number);
  const before = showsBefore ? against : undefined;
  const splits = useDesk(({ arrangement }) =>
    fronts.map((part) => arrangement.parts?.[part]?.split ?? "").join(","),
  );
  return { parts: fronts.join(","), first, count, width: Math.max(width, 200), before, revision, splits };
}

/** The newest page that has come, and what is wrong with the one that was asked for last. */
function useSheet(wanted: Wanted): { sheet: Sheet | null; problem: string } {
  const [sheet, setSheet] = useState<Sheet | null>(null);
  const [problem, setProblem] = useState("");
  const asked = JSON.stringify(wanted);
  useEffect(() => {
    const { revision: _, ...query } = JSON.parse(asked) as Wanted;
    const ending = new AbortController();
    const ask = api.GET("/api/takes/{take_id}/page", {
      params: { path: takePath(), query },
      signal: ending.signal,
    });
    answered<Sheet>(ask).then(
      (answer) => {
        if (ending.signal.aborted) return;
        setSheet(answer);
        setProblem("");
      },
      (thrown) => {
        if (!ending.signal.aborted) setProblem(sentence(thrown));
      },
    );
    return () => ending.abort();
  }, [asked]);
  return { sheet, problem };
}

/** Put the drawing on the paper, a system in a frame, so that nothing else waits for all of them. The page that is there. */
function useDrawn(paper: RefObject<HTMLDivElement | null>, sheet: Sheet | null): Sheet | null {
  const [drawn, setDrawn] = useState<Sheet | null>(null);
  useEffect(() => {
    const page = paper.current;
    if (!sheet || !page) return;
    const parsed = new DOMParser().parseFromString(sheet.svg, "image/svg+xml").documentElement;
    const systems = [...parsed.querySelectorAll("g.system")];
    const ground = systems[0]?.parentNode;
    for (const system of systems) system.remove();
    page.replaceChildren(parsed);
    // By keys notes are chosen on the ribbons.
    page.onclick = choosePressedHead;
    let frame = 0;
    const next = () => {
      const system = systems.shift();
      if (system) ground?.appendChild(system);
      if (systems.length) frame = requestAnimationFrame(next);
      else setDrawn(sheet);
    };
    next();
    return () => cancelAnimationFrame(frame);
  }, [sheet, paper]);
  return drawn;
}

/** The note that a head stands for: its part and its row. */
function noteOf(id: string, score: Score): { part: PartScore; note: number } | null {
  const found = /^n(\d+)(-\d+)?$/.exec(id);
  if (!found) return null;
  for (const part of score.parts) {
    const note = rowOfId(part, Number(found[1]));
    if (note >= 0) return { part, note };
  }
  return null;
}

function choosePressedHead(event: globalThis.MouseEvent): void {
  const { score } = desk();
  const head = (event.target as Element).closest("g.note");
  const hit = head && score && noteOf(head.id, score);
  if (hit) choosePressed(hit, event.shiftKey);
}

/** Heads of chosen notes have their colour. */
function useChosen(paper: RefObject<HTMLDivElement | null>, sheet: Sheet | null): void {
  const chosen = useDesk((state) => state.chosen);
  useEffect(() => {
    const { score } = desk();
    if (!paper.current || !score || !sheet) return;
    for (const head of paper.current.querySelectorAll("g.note")) {
      const hit = noteOf(head.id, score);
      head.classList.toggle("is-chosen", hit !== null && chosen[hit.part.id]?.[hit.note] === 1);
    }
  }, [chosen, sheet, paper]);
}

/** While it plays, heads that sound are marked. */
function useHead(paper: RefObject<HTMLDivElement | null>, sheet: Sheet | null): void {
  const playing = usePlayer((state) => state.playing);
  useEffect(() => {
    const { score } = desk();
    const page = paper.current;
    if (!page || !score || !sheet || !playing) return;
    const heads = [...page.querySelectorAll("g.note")].flatMap((head) => {
      const hit = noteOf(head.id, score);
      return hit ? [{ head, start: hit.part.start[hit.note]!, end: hit.part.end[hit.note]! }] : [];
    });
    let sounding: Element[] = [];
    const timer = window.setInterval(() => {
      const tick = tickAt(score, player.position());
      const now = heads.filter(({ start, end }) => start <= tick && tick < end).map(({ head }) => head);
      for (const head of sounding) if (!now.includes(head)) head.classList.remove("is-sounding");
      for (const head of now) head.classList.add("is-sounding");
      if (now[0] && !sounding.includes(now[0])) now[0].scrollIntoView({ block: "nearest" });
      sounding = now;
    }, FOLLOW_MS);
    return () => {
      window.clearInterval(timer);
      for (const head of sounding) head.classList.remove("is-sounding");
    };
  }, [playing, sheet, paper]);
}
