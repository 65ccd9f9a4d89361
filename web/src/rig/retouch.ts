/**
 * Retouch: while a span goes round, a control of the instrument draws on the lane that Shape acts on, and is heard at once.
 * Once it rests, what was drawn is a stroke.
 */
import { create } from "zustand";
import { beginning } from "../desk/strokes/numbers";
import { onLead } from "../desk/take/choosing";
import { keep, letGo, preview } from "../desk/take/shaping";
import { desk, kindOf, laneExtent } from "../desk/take/state";
import { BEND, VELOCITY } from "../score/lanes";
import { tickAt } from "../score/score";
import { player, usePlayer } from "../sound/player";
import { type Bytes, gear, kindOfMessage } from "./gear";
import { recorder } from "./recorder";

interface RetouchState {
  on: boolean;
  /** The control that draws: the first that was moved since it was asked for. */
  control: string | null;
}

export const useRetouch = create<RetouchState>()(() => ({ on: false, control: null }));
const { getState: now, setState: set } = useRetouch;

const REST_MS = 600;
const TRY_MS = 90;

let points: [number, number][] = [];
let round = -1;
let resting = 0;
let tried = 0;

export const setRetouch = (on: boolean) => set({ on, control: null });

/** A share of the control's reach, 0 to 1; null for what is no control. */
function share([status = 0, one = 0, two = 0]: Bytes): number | null {
  const kind = status & 0xf0;
  if (kind === 0xb0) return two / 127;
  if (kind === 0xd0) return one / 127;
  return kind === 0xe0 ? ((two << 7) | one) / 16383 : null;
}

function draw(bytes: Bytes, at: number): void {
  const { on, control } = now();
  const value = share(bytes);
  const lane = desk().activeLane;
  if (!on || value === null || recorder().phase !== "idle" || !usePlayer.getState().playing) return;
  if (lane === VELOCITY || lane.startsWith("note:")) return;
  const kind = kindOfMessage(bytes);
  if (control === null) set({ control: kind });
  else if (control !== kind) return;
  const { score } = desk();
  const place = player.placeAt(at);
  if (!score || !place) return;
  // Round again: what was drawn in this round takes the place of what was drawn before it.
  if (place.round !== round) points = [];
  round = place.round;
  const [low, high] = laneExtent(kindOf(lane));
  const tick = Math.round(tickAt(score, place.second));
  const height = lane === BEND ? (2 * value - 1) * high : low + value * (high - low);
  const last = points.at(-1);
  if (last && last[0] >= tick) last[1] = height;
  else points.push([tick, Math.round(height * 1000) / 1000]);
  window.clearTimeout(resting);
  resting = window.setTimeout(() => void rest(), REST_MS);
  if (at - tried > TRY_MS) {
    tried = at;
    show();
  }
}

function show(): void {
  const { activeLane: lane, tolerance, steps } = desk();
  if (points.length < 2) return;
  preview({
    kind: "lane.draw",
    lane,
    where: onLead(),
    points: points.slice(),
    tolerance: tolerance * beginning(lane).tolerance,
    in_take: false,
    steps,
  });
}

/** It rests: what was drawn is kept. */
async function rest(): Promise<void> {
  if (points.length < 2) {
    points = [];
    return;
  }
  show();
  points = [];
  await keep();
  letGo();
}

/** Draw from now on; the result ends it. */
export const openRetouch = (): (() => void) => gear.hear(draw);
