/** What there is to see of a take: as it is kept, as the open stroke would have it, and as it was before. */
import type { Schemas } from "../../api/client";
import type { LaneNodes } from "../../score/lanes";
import type { Contour, Velocities } from "../../score/score";

/** Lanes of the leading part, by their keys. */
export type Lanes = ReadonlyMap<string, LaneNodes>;

/** One state of a take: velocities of all parts, and the lanes of the leading one. */
export interface Layer {
  velocities: Velocities;
  lanes: Lanes;
}

/** Shapes of neighbouring notes of a part, from a row on. */
export interface TriedShapes {
  first: number;
  contour: Contour;
}

/** As it was: notes that were elsewhere, or are no more, as they were. */
export interface Compared extends Layer {
  coming: Schemas["Changes"]["added"];
}

/** As a stroke would have it. */
export interface Tried extends Layer {
  /** The shapes of notes in sight, by their parts, where it gives them others. */
  shapes: ReadonlyMap<number, TriedShapes>;
  /** Notes that it would bring. */
  coming: Schemas["Changes"]["added"];
  /** The history's, on which it was tried: of an older one is what has just been written, until it is read. */
  revision: number;
}

export interface Layers {
  kept: Layer;
  tried: Tried | null;
  /** As it was before the open stroke. */
  before: Layer | null;
  /** As it was before the point of comparison, while that is heard. */
  compared: Compared | null;
}

export const blankLayers: Layers = {
  kept: { velocities: [], lanes: new Map() },
  tried: null,
  before: null,
  compared: null,
};

/** What is seen now: what the hand is making comes first. */
export const shown = ({ tried, compared, kept }: Layers): Layer => tried ?? compared ?? kept;
