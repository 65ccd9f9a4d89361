import { type RefObject, useEffect, useRef } from "react";
import { actsOnVelocity } from "../../api/strokes";
import { VELOCITY } from "../../score/lanes";
import { secondsAt, tickAt } from "../../score/score";
import { player, usePlayer } from "../../sound/player";
import { late } from "../../ui/late";
import { attach } from "../hand/gestures";
import { velocityScale } from "../page/scale";
import { type Elements, Stage } from "../stage/stage";
import { partName, shareOut } from "../take/arranging";
import { desk, leadPart, set, useDesk } from "../take/state";
import { Beyond } from "./Beyond";
import { Grips } from "./Grips";
import { Ground } from "./Ground";
import { LaneDivider, START_SHARE } from "./LaneDivider";
import { Lanes } from "./LaneList";
import { Marks } from "./Marks";
import { Tip } from "./Tip";

/** The strip of cues comes where there are any, or where it is asked for. */
const CueStrip = late(async () => (await import("./CueStrip")).CueStrip);

/** The column of staves on one time axis. */
export function Staves() {
  const share = useDesk((state) => state.arrangement.velocity_share ?? START_SHARE);
  const closeUp = useDesk((state) => state.closeUp !== null);
  const overview = useRef<HTMLCanvasElement>(null);
  const ruler = useRef<HTMLCanvasElement>(null);
  const notes = useRef<HTMLCanvasElement>(null);
  const lane = useRef<HTMLCanvasElement>(null);
  const playhead = useRef<HTMLDivElement>(null);
  const part = useDesk((state) => leadPart(state));
  const hasCues = useDesk((state) => state.showsCues || (leadPart(state)?.cues.length ?? 0) > 0);
  const name = part ? partName(part) : "the part in front";

  useEffect(
    () =>
      attachStage({
        overview: overview.current,
        ruler: ruler.current,
        notes: notes.current,
        lane: lane.current,
        playhead: playhead.current,
      } as Elements),
    [],
  );

  return (
    <div className="relative flex h-full min-h-0 flex-col overflow-hidden select-none">
      <canvas
        ref={overview}
        aria-label="Overview of the whole take; drag to move"
        className="h-[38px] w-full shrink-0 cursor-grab touch-none border-b border-rule"
      />
      <canvas
        ref={ruler}
        aria-label="Ruler of bars and beats"
        className="h-[30px] w-full shrink-0 touch-none"
      />
      <Ground />
      {!closeUp && <Marks />}
      <div className={`relative ${closeUp ? "min-h-[36%] flex-1 basis-0" : "min-h-[26%] flex-1"}`}>
        <canvas
          ref={notes}
          tabIndex={0}
          aria-label={`Notes of ${name}: ${(part?.start.length ?? 0).toLocaleString("en-GB")}; arrow keys choose and nudge them`}
          className="absolute inset-0 h-full w-full cursor-crosshair touch-none"
        />
        <Beyond />
        <Tip stave="notes" />
      </div>
      {hasCues && <CueStrip />}
      {!closeUp && <LaneDivider share={share} onShare={shareOut} />}
      <VelocityLane canvas={lane} share={share} folded={closeUp} name={name} />
      <Lanes />
      <div
        ref={playhead}
        aria-hidden
        className="playhead pointer-events-none absolute top-[38px] bottom-0 left-0 w-px bg-ink before:absolute before:-left-[4px] before:border-x-[4.5px] before:border-t-[7px] before:border-x-transparent before:border-t-ink"
      />
    </div>
  );
}

interface VelocityLaneProps {
  canvas: RefObject<HTMLCanvasElement | null>;
  share: number;
  folded: boolean;
  name: string;
}

/** A close-up is about what one note has besides: how hard it is struck is folded away then. */
function VelocityLane({ canvas, share, folded, name }: VelocityLaneProps) {
  return (
    <div
      className={`relative ${folded ? "invisible h-px shrink-0" : "min-h-[90px] shrink-[5]"}`}
      style={folded ? undefined : { height: `${share * 100}%` }}
    >
      <canvas
        ref={canvas}
        tabIndex={folded ? -1 : 0}
        aria-label={`Velocity of ${name}; up and down move the chosen notes`}
        className="h-full w-full cursor-crosshair touch-none"
      />
      <VelocityGrips />
      <Tip stave={VELOCITY} />
    </div>
  );
}

/** Draw on the staves and answer the pointer there from now on; the result stops it. */
function attachStage(elements: Elements): () => void {
  const stage = new Stage(elements, {
    tick: () => {
      const { score } = desk();
      return score ? tickAt(score, player.position()) : 0;
    },
    moving: () => usePlayer.getState().playing,
  });
  const detach = attach(elements, {
    playFrom(tick) {
      const { score, span } = desk();
      if (!score) return;
      if (span && usePlayer.getState().looping && (tick < span[0] || tick >= span[1]))
        player.setLooping(false);
      void player.play(secondsAt(score, tick));
    },
  });
  const stopWatching = usePlayer.subscribe(() => stage.ask());
  return () => {
    stopWatching();
    detach();
    stage.stop();
    set({ hint: "" });
  };
}

/** The grips of an open line over the velocities. */
function VelocityGrips() {
  const kind = useDesk((state) => state.kinds.get(VELOCITY));
  const height = useDesk((state) => state.camera.laneHeight);
  return kind ? <Grips shapes={actsOnVelocity} scale={velocityScale(kind, height)} /> : null;
}
