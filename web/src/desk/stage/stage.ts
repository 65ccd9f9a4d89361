/** Keeps the canvases in step with the desk's state: one drawing a frame, only when something has changed. */

import { actsOnVelocity } from "../../api/strokes";
import { VELOCITY } from "../../score/lanes";
import { NOTE_PITCH } from "../../score/own";
import { gridTicks, type PartScore, reached } from "../../score/score";
import { threadsOf } from "../../score/threads";
import { GUTTER, xOf } from "../page/camera";
import { blank, type Ink, mixInk } from "../page/draw/ink";
import { drawOverviewLane, drawOverviewNotes, drawWindow, OVERVIEW_HEIGHT } from "../page/draw/overview";
import { drawRibbons } from "../page/draw/ribbons";
import { drawRuler, RULER_HEIGHT } from "../page/draw/ruler";
import { drawVelocity, type VelocityScene } from "../page/draw/velocity";
import { partDye, rowName } from "../take/arranging";
import { shown } from "../take/layers";
import {
  type DeskState,
  desk,
  differs,
  frontParts,
  kindOf,
  leadPart,
  look,
  resize,
  useDesk,
  velocityLevels,
} from "../take/state";

export const STAVES = ["overview", "ruler", "notes", "lane"] as const;
export type Stave = (typeof STAVES)[number];

/** What of the desk's state these canvases show. */
const DRAWN: readonly (keyof DeskState)[] = [
  "score",
  "camera",
  "fronts",
  "hidden",
  "arrangement",
  "wishes",
  "grid",
  "span",
  "box",
  "voice",
  "chosen",
  "layers",
  "shaping",
  "history",
  "activeLane",
  "closeUp",
];

export interface Elements extends Record<Stave, HTMLCanvasElement> {
  playhead: HTMLElement;
}

/** Where the playhead stands, in ticks, and whether it moves. */
export interface Head {
  tick: () => number;
  moving: () => boolean;
}

export class Stage {
  private readonly ink: Ink = mixInk();
  private readonly pens: Record<Stave, CanvasRenderingContext2D>;
  private readonly overviewNotes = document.createElement("canvas");
  private overviewKey = "";
  private frame = 0;
  private stale = true;
  private readonly stopWatching: () => void;
  private readonly sizes: ResizeObserver;

  constructor(
    private readonly elements: Elements,
    private readonly head: Head,
  ) {
    const pen = (stave: Stave) =>
      elements[stave].getContext("2d", { alpha: false }) as CanvasRenderingContext2D;
    this.pens = { overview: pen("overview"), ruler: pen("ruler"), notes: pen("notes"), lane: pen("lane") };
    for (const stave of STAVES) blank(this.pens[stave], this.ink);
    this.stopWatching = useDesk.subscribe((now, was) => differs(now, was, DRAWN) && this.ask());
    this.sizes = new ResizeObserver(() => this.measure());
    for (const stave of ["notes", "lane"] as const) this.sizes.observe(elements[stave]);
    this.measure();
    void document.fonts.ready.then(() => this.ask());
  }

  stop(): void {
    cancelAnimationFrame(this.frame);
    this.stopWatching();
    this.sizes.disconnect();
  }

  ask(): void {
    this.stale = true;
    this.next();
  }

  private next(): void {
    if (!this.frame) this.frame = requestAnimationFrame(() => this.show());
  }

  private measure(): void {
    const { notes, lane } = this.elements;
    resize({ width: notes.clientWidth, notesHeight: notes.clientHeight, laneHeight: lane.clientHeight });
    this.ask();
  }

  /** While the playhead moves, it alone does: the pages under it are drawn again only where they have changed. */
  private show(): void {
    this.frame = 0;
    const moving = this.head.moving();
    if (moving) this.follow();
    if (this.stale) this.draw();
    this.placeHead();
    if (moving) this.next();
  }

  private draw(): void {
    const state = desk();
    const { score, camera, layers } = state;
    if (!score) return;
    this.stale = false;
    const fronts = frontParts(state);
    const lead = fronts[0];
    const { shaping } = state;
    const picked =
      shaping && actsOnVelocity(shaping.stroke)
        ? score.parts.map((part) => reached(part, shaping.stroke.where ?? {}))
        : state.chosen;
    const common = {
      ink: this.ink,
      camera,
      score,
      fronts,
      behind: score.parts.filter(
        (part) => !state.fronts.includes(part.id) && !state.hidden.includes(part.id),
      ),
      dyeOf: (part: PartScore) => partDye(part, state.arrangement),
      nameOf: (pitch: number) => rowName(lead, pitch),
      shown: shown(layers).velocities,
      ghost: layers.before?.velocities ?? null,
      scale: velocityLevels(state),
      words: kindOf(VELOCITY, state).words,
      picked,
      voice: state.voice,
      span: state.span,
      gridTicks: gridTicks(score, state.grid),
      box: state.box,
      shapes: layers.tried?.shapes ?? new Map(),
      coming: (layers.tried ?? layers.compared)?.coming ?? [],
      pitches: state.activeLane === NOTE_PITCH ? shown(layers).lanes.get(NOTE_PITCH) : undefined,
      threads: threadsOf(shaping?.mark),
      closeUp: state.closeUp?.id ?? null,
      mark: shaping && actsOnVelocity(shaping.stroke) ? shaping.mark : null,
      kept: state.history.strokes
        .filter((one) => one.on && !one.idle && one.number !== shaping?.number && actsOnVelocity(one.stroke))
        .filter((one) => one.mark.parts.some((part) => state.fronts.includes(part)))
        .map((one) => one.mark),
    };
    const scene = (pen: CanvasRenderingContext2D): VelocityScene => ({ pen, ...common });
    drawRuler(scene(this.sized("ruler", RULER_HEIGHT)));
    drawRibbons(scene(this.sized("notes", camera.notesHeight)));
    drawVelocity(scene(this.sized("lane", camera.laneHeight)));
    this.drawOverview();
  }

  /** The pen of a stave, at the size and the pixel density that it has now. */
  private sized(stave: Stave, height: number): CanvasRenderingContext2D {
    const canvas = this.elements[stave];
    const density = window.devicePixelRatio || 1;
    const width = Math.round(desk().camera.width * density);
    const tall = Math.round(height * density);
    if (canvas.width !== width || canvas.height !== tall) {
      canvas.width = width;
      canvas.height = tall;
    }
    const pen = this.pens[stave];
    pen.setTransform(density, 0, 0, density, 0, 0);
    return pen;
  }

  private drawOverview(): void {
    const { score, camera, fronts, arrangement, layers } = desk();
    if (!score) return;
    const pen = this.sized("overview", OVERVIEW_HEIGHT);
    const canvas = this.elements.overview;
    const dyes = score.parts.map((part) => partDye(part, arrangement)).join(" ");
    const busiest = [...layers.kept.lanes.values()].sort((a, b) => b.tick.length - a.tick.length)[0];
    const key = `${score.id} ${score.end} ${score.runs.length} ${fronts} ${canvas.width} ${dyes} ${busiest?.key} ${busiest?.tick.length}`;
    if (key !== this.overviewKey) {
      this.overviewKey = key;
      this.overviewNotes.width = canvas.width;
      this.overviewNotes.height = canvas.height;
      const once = this.overviewNotes.getContext("2d") as CanvasRenderingContext2D;
      once.setTransform(pen.getTransform());
      drawOverviewNotes(once, this.ink, camera, score, fronts, (part) => partDye(part, arrangement));
      const lead = leadPart();
      if (lead)
        drawOverviewLane(
          once,
          this.ink.dye(partDye(lead, arrangement)),
          camera,
          score,
          busiest && [kindOf(busiest.key), busiest],
        );
    }
    pen.drawImage(this.overviewNotes, 0, 0, camera.width, OVERVIEW_HEIGHT);
    drawWindow(pen, this.ink, camera, score);
  }

  private placeHead(): void {
    const { camera } = desk();
    const x = xOf(camera, this.head.tick());
    const { playhead } = this.elements;
    playhead.style.transform = `translateX(${x.toFixed(1)}px)`;
    playhead.style.visibility = x >= GUTTER - 1 && x <= camera.width ? "visible" : "hidden";
  }

  /** Turn the page when the playhead reaches its end. */
  private follow(): void {
    const tick = this.head.tick();
    const { camera, shaping, followsHead } = desk();
    if (shaping || !followsHead) return; // Not while something is held: the page would run from under the hand.
    const x = xOf(camera, tick);
    if (x > camera.width - 30 || x < GUTTER) {
      look((now) => ({ ...now, left: Math.max(tick - 20 / now.perTick, 0) }));
    }
  }
}
