/** What a stave needs to draw itself: no more of the desk's state than that. */
import type { Mark, Schemas } from "../../../api/client";
import type { LaneNodes } from "../../../score/lanes";
import type { Chosen, Contour, PartScore, Score, Velocities } from "../../../score/score";
import type { Thread } from "../../../score/threads";
import type { Camera } from "../camera";
import type { Scale } from "../scale";
import type { Ink } from "./ink";

/** What is drawn round to choose what lies within, in pixels of its stave. */
export interface Box {
  stave: "notes" | "lane";
  x0: number;
  y0: number;
  x1: number;
  y1: number;
}

export interface Scene {
  pen: CanvasRenderingContext2D;
  ink: Ink;
  camera: Camera;
  score: Score;
  /** The parts in front, the leading one first, and those shown pale behind them. */
  fronts: readonly PartScore[];
  behind: readonly PartScore[];
  dyeOf: (part: PartScore) => string;
  nameOf: (pitch: number) => string;
  shown: Velocities;
  ghost: Velocities | null;
  /** Where velocities, or the values of the lane that is drawn, lie. */
  scale: Scale;
  /** Of each part, the notes that are chosen or that the open stroke reaches. */
  picked: Chosen;
  /** The one pitch that the lane shows alone. */
  voice: number | null;
  /** Lines within the beat, in ticks; 0 for none. */
  gridTicks: number;
  span: [number, number] | null;
  box: Box | null;
  /** Shapes that the open stroke would give to notes of some parts. */
  shapes: ReadonlyMap<number, { first: number; contour: Contour }>;
  /** Notes that the open stroke would bring. */
  coming: Schemas["Changes"]["added"];
  /** The mark of the open stroke, and those of all others that act on what is in front. */
  mark: Mark | null;
  kept: readonly Mark[];
  /** Curves of pitch that are shaped on the ribbons of the leading part; threads from chord to chord; one note alone. */
  pitches?: LaneNodes;
  threads?: Thread[];
  closeUp?: number | null;
}
