/** What is being played in, as it grows: shown where the strokes that are tried are shown, until it is one. */
import { BEND, type LaneNodes } from "../../score/lanes";
import { type Score, tickAt } from "../../score/score";
import { showingPitches, yOfPitch } from "../page/camera";
import { desk, frontParts, look, set, setLayers } from "./state";

/** A message of the part's channel, at a second of the take. */
export type LiveMessage = readonly [second: number, bytes: readonly number[]];

interface Note {
  pitch: number;
  velocity: number;
  start: number;
  end: number | null;
}

/** Show what was played so far on a part; `now` is the second that has been reached. */
export function showLive(part: number, messages: readonly LiveMessage[], now: number): void {
  const { score, layers } = desk();
  if (!score) return;
  const notes: Note[] = [];
  const controls = new Map<string, [number, number][]>();
  const tick = (second: number) => Math.round(tickAt(score, second));
  const range = score.parts[part].bendRange.at(-1)?.[1] ?? 2;
  for (const [second, [status, one, two = 0]] of messages) {
    const kind = status & 0xf0;
    if (kind === 0x90 && two) notes.push({ pitch: one, velocity: two, start: tick(second), end: null });
    else if (kind === 0x80 || kind === 0x90) {
      const note = notes.find(({ pitch, end }) => pitch === one && end === null);
      if (note) note.end = tick(second);
    } else {
      const [key, value] = control(kind, one, two, range);
      if (key) controls.set(key, [...(controls.get(key) ?? []), [tick(second), value]]);
    }
  }
  const until = tick(now);
  makeRoom(score, until, notes);
  const lanes = new Map(layers.kept.lanes);
  for (const [key, points] of controls) lanes.set(key, grown(key, layers.kept.lanes.get(key), points));
  setLayers({
    tried: {
      velocities: layers.kept.velocities,
      lanes,
      shapes: new Map(),
      coming: [
        {
          part,
          start: notes.map(({ start }) => start),
          end: notes.map(({ start, end }) => Math.max(end ?? until, start + 1)),
          pitch: notes.map(({ pitch }) => pitch),
          velocity: notes.map(({ velocity }) => velocity),
          bends: notes.map(() => []),
        },
      ],
      // No take has this: nothing is heard of it but from the instrument itself.
      revision: -1,
    },
  });
}

const MORE_BARS = 8;

/** What goes on past the end of the take, or beyond the rows in sight, gets room. */
function makeRoom(score: Score, until: number, notes: readonly Note[]): void {
  const { start, beats, beat_ticks } = score.bars;
  const last = start.length - 1;
  const bar = beats[last] * beat_ticks[last];
  if (until > score.end - bar) {
    const more = Array.from({ length: MORE_BARS }, (_, one) => one + 1);
    const bars = {
      start: [...start, ...more.map((one) => start[last] + one * bar)],
      beats: [...beats, ...more.map(() => beats[last])],
      beat_ticks: [...beat_ticks, ...more.map(() => beat_ticks[last])],
    };
    set({ score: { ...score, bars, end: start[last] + MORE_BARS * bar } });
  }
  const { camera, rowsFit } = desk();
  const newest = notes.at(-1)?.pitch;
  if (!rowsFit || newest === undefined) return;
  const y = yOfPitch(camera, newest);
  if (y >= 0 && y + camera.row <= camera.notesHeight) return;
  const played = [...notes.map(({ pitch }) => pitch), ...frontParts().flatMap(({ pitch }) => [...pitch])];
  look((now) => showingPitches(now, score, Math.min(...played), Math.max(...played)));
  set({ rowsFit: true });
}

export const hideLive = () => setLayers({ tried: null });

function control(kind: number, one: number, two: number, range: number): [string, number] {
  if (kind === 0xb0) return [`cc:${one}`, two];
  if (kind === 0xd0) return ["pressure", one];
  if (kind === 0xe0) return [BEND, (((two << 7) | one) / 8192 - 1) * range];
  return ["", 0];
}

/** A lane with what was moved, in place of what it says there. */
function grown(key: string, old: LaneNodes | undefined, points: readonly [number, number][]): LaneNodes {
  const [first, last] = [points[0][0], points[points.length - 1][0]];
  const before = old ? old.tick.findIndex((one) => one >= first) : 0;
  const after = old ? old.tick.findIndex((one) => one > last) : -1;
  const head = before < 0 ? (old?.tick.length ?? 0) : before;
  const tail = after < 0 ? (old?.tick.length ?? 0) : after;
  const tick = [
    ...(old?.tick.subarray(0, head) ?? []),
    ...points.map(([at]) => at),
    ...(old?.tick.subarray(tail) ?? []),
  ];
  const value = [
    ...(old?.value.subarray(0, head) ?? []),
    ...points.map(([, one]) => one),
    ...(old?.value.subarray(tail) ?? []),
  ];
  return {
    key,
    tick: Int32Array.from(tick),
    value: Float32Array.from(value),
    moves: new Uint8Array(tick.length),
    bent: new Map(),
    lowest: Math.min(old?.lowest ?? Number.POSITIVE_INFINITY, ...points.map(([, one]) => one)),
    highest: Math.max(old?.highest ?? Number.NEGATIVE_INFINITY, ...points.map(([, one]) => one)),
  };
}
