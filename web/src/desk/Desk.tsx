import { useEffect, useState } from "react";
import { Link, useLocation, useParams } from "react-router";
import { cueKeysOf, secondsAt } from "../score/score";
import { player, usePlayer } from "../sound/player";
import { late } from "../ui/late";
import { Notice } from "../ui/Notice";
import { useMatches } from "../ui/useMatches";
import { Finder } from "./actions/Finder";
import { handleKey } from "./actions/keys";
import { Header } from "./bars/Header";
import { Spoken } from "./bars/Spoken";
import { Strokes } from "./bars/Strokes";
import { Transport } from "./bars/Transport";
import { watchHand } from "./hand/hand";
import { releaseNudge } from "./hand/velocityGestures";
import { FORCED_COLOURS } from "./page/draw/ink";
import { Shape } from "./shape/Shape";
import { focusLane } from "./stage/laneSight";
import { showPlace } from "./stage/shown";
import { Staves } from "./staves/Staves";
import { watchNumbers } from "./strokes/lastNumbers";
import { openTake, routesOf, settle } from "./take/arranging";
import { watchMetronome } from "./take/metronome";
import { close, compare, onWritten, watchSight } from "./take/shaping";

import { desk, set, useDesk } from "./take/state";
import { watchLeaving } from "./take/unsaved";

/** What is opened now and then comes when it is. (The search is there at once: what is typed next is for it.) */
const EventList = late(async () => (await import("./bars/EventList")).EventList);
const CheckUp = late(async () => (await import("./bars/CheckUp")).CheckUp);
const WayOut = late(async () => (await import("./bars/WayOut")).WayOut);
const Compare = late(async () => (await import("./bars/Compare")).Compare);
const PagePane = late(async () => (await import("./bars/PagePane")).PagePane);
const Rig = late(async () => (await import("../rig/Rig")).Rig);
const RecordKey = late(async () => (await import("../rig/RecordKey")).RecordKey, <span className="w-20" />);
const Walk = late(async () => (await import("./bars/Walk")).Walk);
const KeySheet = late(async () => (await import("./actions/KeySheet")).KeySheet);

export function Desk() {
  const failure = useDesk((state) => state.failure);
  const panelOpen = useDesk((state) => state.panelOpen);
  const isOpen = useDesk((state) => state.score !== null);
  const forced = useMatches(FORCED_COLOURS);
  useTake();
  useSound();
  if (failure) return <Failure text={failure} />;
  return (
    <div className="flex h-full min-w-[320px] flex-col low:overflow-y-auto">
      <button
        type="button"
        className="key sr-only focus:not-sr-only focus:absolute focus:top-1 focus:left-1 focus:z-50"
        onClick={() => focusLane("notes")}
      >
        Skip to the staves
      </button>
      <Header onFind={() => set({ sheet: "find" })} />
      <div className="flex min-h-0 flex-1 folded:flex-col low:min-h-fit">
        <main className="min-h-0 min-w-0 flex-1 low:h-[21rem] low:flex-none">
          <Staves key={forced} />
        </main>
        {panelOpen && (
          // Gestures, numbers and strokes each have their place, so that all stay in sight whatever is being shaped.
          <aside className="flex w-[328px] shrink-0 flex-col overflow-y-auto border-l border-rule-strong bg-sheet folded:h-[46%] folded:w-full low:h-[21rem] folded:border-t folded:border-l-0">
            {isOpen && <Shape />}
            <Strokes />
          </aside>
        )}
      </div>
      <Panes />
      <Transport record={<RecordKey />} onKeys={() => set({ sheet: "keys" })} />
      <Spoken />
      <Sheets />
    </div>
  );
}

/** The take of the address is opened, and what the desk listens to is listened to, for as long as it is there. */
function useTake(): void {
  const { takeId = "" } = useParams();
  const name = useDesk((state) => state.name);
  const { state: came, search } = useLocation();
  useEffect(() => {
    void openTake(takeId).then(() => search && showPlace(search));
    if ((came as { playIn?: boolean } | null)?.playIn) set({ rigOpen: true });
  }, [takeId, came, search]);
  useEffect(() => {
    document.title = name ? `${name} · Lull` : "Lull";
  }, [name]);
  useEffect(watchLeaving, []);
  useEffect(watchMetronome, []);
  useEffect(watchHand, []);
  useEffect(watchNumbers, []);
  useEffect(watchSight, []);
  // Leaving for the library is something else that begins.
  useEffect(() => close, []);
  useEffect(() => {
    const release = () => void releaseNudge();
    window.addEventListener("keydown", handleKey);
    window.addEventListener("keyup", release);
    return () => {
      window.removeEventListener("keydown", handleKey);
      window.removeEventListener("keyup", release);
    };
  }, []);
}

/** What is opened under the staves. */
function Panes() {
  const listOpen = useDesk((state) => state.listOpen);
  const checkOpen = useDesk((state) => state.checkOpen);
  const outOpen = useDesk((state) => state.outOpen);
  const compareOpen = useDesk((state) => state.compareOpen);
  const pageOpen = useDesk((state) => state.pageOpen);
  const rigOpen = useDesk((state) => state.rigOpen);
  const isOpen = useDesk((state) => state.score !== null);
  return (
    <>
      {pageOpen && isOpen && <PagePane />}
      {rigOpen && isOpen && <Rig />}
      {listOpen && <EventList />}
      {checkOpen && isOpen && <CheckUp />}
      {compareOpen && isOpen && <Compare />}
      {outOpen && isOpen && <WayOut />}
    </>
  );
}

/** What lies over the desk. */
function Sheets() {
  const notice = useDesk((state) => state.notice);
  const sheet = useDesk((state) => state.sheet);
  const isOpen = useDesk((state) => state.score !== null);
  const [walking, setWalking] = useState(() => new URLSearchParams(window.location.search).has("walk"));
  const lay = (which: "find" | "keys") => (open: boolean) => set({ sheet: open ? which : null });
  return (
    <>
      {sheet === "keys" && <KeySheet open onOpen={lay("keys")} />}
      {walking && isOpen && <Walk onLeave={() => setWalking(false)} />}
      <Finder open={sheet === "find"} onOpen={lay("find")} />
      <Notice notice={notice} onClose={() => set({ notice: null })} />
    </>
  );
}

/** The player follows the take: its patches, its span, its changes; and the page shows what is heard, before or after. */
function useSound() {
  const score = useDesk((state) => state.score);
  const span = useDesk((state) => state.span);
  const arrangement = useDesk((state) => state.arrangement);
  const revision = useDesk((state) => state.history.revision);
  const showsBefore = usePlayer((state) => state.before);
  const against = usePlayer((state) => state.against);
  useEffect(() => {
    if (!score) return;
    player.load({
      takeId: score.id,
      seconds: score.seconds,
      patches: score.parts.map((part) => part.patch),
      cues: score.parts.map((part) => cueKeysOf(part)),
      routes: score.parts.map((part) => [...routesOf(part.id)]),
      loop: () => {
        const now = desk().span;
        return now && [secondsAt(score, now[0]), secondsAt(score, now[1])];
      },
      trial: () => {
        const { shaping, history, layers } = desk();
        if (!shaping || shaping.problem || layers.tried?.revision !== history.revision) return null;
        return { revision: history.revision, stroke: shaping.stroke, number: shaping.number };
      },
    });
  }, [score]);
  useEffect(() => {
    if (score) player.route(score.parts.map((part) => [...routesOf(part.id, arrangement)]));
  }, [score, arrangement]);
  useEffect(() => () => player.unload(), []);
  useEffect(
    () =>
      onWritten((delta, was) => {
        void player.refresh();
        settle(delta, was);
      }),
    [],
  );
  // biome-ignore lint/correctness/useExhaustiveDependencies: a new span changes what is to come
  useEffect(() => {
    if (usePlayer.getState().looping) void player.refresh();
  }, [span]);
  // biome-ignore lint/correctness/useExhaustiveDependencies: "before" means another take after every change
  useEffect(() => {
    void compare(showsBefore ? against : null);
  }, [showsBefore, against, revision]);
}

function Failure({ text }: { text: string }) {
  return (
    <main className="grid h-full place-items-center p-6">
      <div className="max-w-md text-center">
        <p className="mb-4 font-mark text-2xl italic">{text}</p>
        <Link to="/" className="key">
          Back to the library
        </Link>
      </div>
    </main>
  );
}
