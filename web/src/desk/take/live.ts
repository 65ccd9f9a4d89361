/** What is being played in, as it grows: shown where the strokes that are tried are shown, until it is one. */
import { BEND, type LaneNodes } from "../../score/lanes";
import { type Score, tickAt } from "../../score/score";
import { showingPitches, yOfPitch } from "../page/camera";
import { desk, frontParts, look, set, setLayers } from "./state";

interface Note {
  pitch: number;
  velocity: number;
  start: number;
  end: number | null;
}

interface Moved {
  tick: number[];
  value: number[];
}

/** Nodes that are nearer than this are seen as one, the latest: thousands may come within a second. */
const NEAR_TICKS = 8;
const MORE_BARS = 8;

/** What was played so far, in one round on a part. */
export class Live {
  private readonly notes: Note[] = [];
  private readonly open = new Map<number, Note>();
  private readonly controls = new Map<string, Moved>();
  private readonly range: number;

  constructor(
    private readonly part: number,
    private readonly score: Score,
  ) {
    this.range = score.parts[part]?.bendRange.at(-1)?.[1] ?? 2;
  }

  /** A message at a second of the take. */
  add(second: number, [status = 0, one = 0, two = 0]: readonly number[]): void {
    const kind = status & 0xf0;
    const tick = Math.round(tickAt(this.score, second));
    const key = ((status & 0x0f) << 7) | one;
    if (kind === 0x90 && two) {
      const note = { pitch: one, velocity: two, start: tick, end: null };
      this.notes.push(note);
      this.open.set(key, note);
    } else if (kind === 0x80 || kind === 0x90) {
      const note = this.open.get(key);
      if (note) note.end = tick;
      this.open.delete(key);
    } else this.move(control(kind, one, two, this.range), tick);
  }

  private move([key, value]: [string, number], tick: number): void {
    if (!key) return;
    const moved = this.controls.get(key) ?? { tick: [], value: [] };
    this.controls.set(key, moved);
    const last = moved.tick.length - 1;
    if (last > 0 && tick - moved.tick[last - 1]! < NEAR_TICKS) {
      moved.tick[last] = tick;
      moved.value[last] = value;
    } else {
      moved.tick.push(tick);
      moved.value.push(value);
    }
  }

  /** Show it; `now` is the second of the take that has been reached. */
  show(now: number): void {
    const { score, layers } = desk();
    if (!score) return;
    const { kept } = layers;
    const until = tickAt(score, now);
    makeRoom(score, until, this.notes);
    const lanes = new Map(kept.lanes);
    if (desk().fronts[0] === this.part)
      for (const [key, moved] of this.controls) lanes.set(key, grown(key, kept.lanes.get(key), moved));
    setLayers({
      tried: {
        velocities: kept.velocities,
        lanes,
        shapes: new Map(),
        coming: [
          {
            part: this.part,
            start: this.notes.map(({ start }) => start),
            end: this.notes.map(({ start, end }) => Math.max(end ?? Math.round(until), start + 1)),
            pitch: this.notes.map(({ pitch }) => pitch),
            velocity: this.notes.map(({ velocity }) => velocity),
            bends: { count: [], tick: [], value: [] },
          },
        ],
        // No take has this: nothing is heard of it but from the instrument itself.
        revision: -1,
      },
    });
  }
}

export const hideLive = () => setLayers({ tried: null });

function control(kind: number, one: number, two: number, range: number): [string, number] {
  if (kind === 0xb0) return [`cc:${one}`, two];
  if (kind === 0xd0) return ["pressure", one];
  if (kind === 0xe0) return [BEND, (((two << 7) | one) / 8192 - 1) * range];
  return ["", 0];
}

/** What goes on past the end of the take, or beyond the rows in sight, gets room. */
function makeRoom(score: Score, until: number, notes: readonly Note[]): void {
  const { start, beats, beat_ticks } = score.bars;
  const last = start.length - 1;
  const [counts, ticks] = [beats[last]!, beat_ticks[last]!];
  const bar = counts * ticks;
  if (until > score.end - bar) {
    const more = Array.from({ length: MORE_BARS }, (_, one) => one + 1);
    const bars = {
      start: [...start, ...more.map((one) => start[last]! + one * bar)],
      beats: [...beats, ...more.map(() => counts)],
      beat_ticks: [...beat_ticks, ...more.map(() => ticks)],
    };
    set({ score: { ...score, bars, end: start[last]! + MORE_BARS * bar } });
  }
  const { camera, rowsFit } = desk();
  const newest = notes.at(-1)?.pitch;
  if (!rowsFit || newest === undefined) return;
  const y = yOfPitch(camera, newest);
  if (y >= 0 && y + camera.row <= camera.notesHeight) return;
  const there = frontParts().filter((part) => part.start.length);
  const lowest = Math.min(newest, ...notes.map(({ pitch }) => pitch), ...there.map((part) => part.lowest));
  const highest = Math.max(newest, ...notes.map(({ pitch }) => pitch), ...there.map((part) => part.highest));
  look((now) => showingPitches(now, score, lowest, highest));
  set({ rowsFit: true });
}

/** A lane with what was moved, in place of what it says there. */
function grown(key: string, old: LaneNodes | undefined, { tick, value }: Moved): LaneNodes {
  const [first, last] = [tick[0]!, tick[tick.length - 1]!];
  const count = old?.tick.length ?? 0;
  const before = old?.tick.findIndex((one) => one >= first) ?? -1;
  const after = old?.tick.findIndex((one) => one > last) ?? -1;
  const head = before < 0 ? count : before;
  const tail = after < 0 ? count : after;
  const size = head + tick.length + count - tail;
  const ticks = new Int32Array(size);
  const values = new Float32Array(size);
  if (old) {
    ticks.set(old.tick.subarray(0, head));
    values.set(old.value.subarray(0, head));
    ticks.set(old.tick.subarray(tail), head + tick.length);
    values.set(old.value.subarray(tail), head + tick.length);
  }
  ticks.set(tick, head);
  values.set(value, head);
  let [lowest, highest] = [old?.lowest ?? Number.POSITIVE_INFINITY, old?.highest ?? Number.NEGATIVE_INFINITY];
  for (const one of value) {
    lowest = Math.min(lowest, one);
    highest = Math.max(highest, one);
  }
  return { key, tick: ticks, value: values, moves: new Uint8Array(size), bent: new Map(), lowest, highest };
}
