/** What a stave needs to draw itself: no more of the desk's state than that. */
import type { Mark } from "../../api/client";
import type { Camera } from "../camera";
import type { Score, Velocities } from "../score";
import type { Box } from "../store";
import type { Ink } from "./ink";

export interface Scene {
  pen: CanvasRenderingContext2D;
  ink: Ink;
  camera: Camera;
  score: Score;
  front: number;
  shown: Velocities;
  ghost: Velocities | null;
  /** Of the part in front, the notes that are chosen or that the open stroke reaches. */
  picked: Uint8Array;
  span: [number, number] | null;
  box: Box | null;
  mark: Mark | null;
}
