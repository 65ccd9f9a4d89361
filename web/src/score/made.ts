/** Small scores for tests: four bars of four beats, a note a beat. */
import type { DeskView, LaneKind } from "../api/client";
import { type Score, scoreOf } from "./score";

interface Wanted {
  /** Ids of the notes, in the order of their rows. */
  ids: readonly number[];
  /** Ticks, and microseconds a quarter note from there on. */
  tempo?: readonly (readonly [number, number])[];
}

export function scored({ ids, tempo = [[0, 500_000]] }: Wanted): Score {
  const seconds: number[] = [0];
  for (let step = 1; step < tempo.length; step++) {
    const [before, micros] = tempo[step - 1]!;
    seconds.push(seconds[step - 1]! + ((tempo[step]![0] - before) * micros) / 960e6);
  }
  const runs: [number, number][] = [];
  for (const id of ids) {
    const last = runs.at(-1);
    if (last && last[1] === id - 1) last[1] = id;
    else runs.push([id, id]);
  }
  const bars = [0, 3840, 7680, 11_520];
  const view = {
    id: "made",
    resolution: 960,
    end: 15_360,
    seconds: 8,
    bars: { start: bars, beats: bars.map(() => 4), beat_ticks: bars.map(() => 960) },
    tempo: { ticks: tempo.map(([tick]) => tick), seconds, micros: tempo.map(([, micros]) => micros) },
    parts: [
      {
        id: 0,
        ids: runs,
        start: ids.map((_, row) => (row ? 960 : 0)),
        length: ids.map(() => 480),
        pitch: ids.map(() => 60),
        lanes: [],
        bend_range: [[0, 2]],
        byHand: false,
        largest: null,
        inForce: [],
        contour: null,
        rings: null,
        feet: [],
        phrases: { start: [], end: [], groups: [] },
        muted: [],
        off_page: { row: [], start: { count: [], value: [] }, end: { count: [], value: [] }, nowhere: [] },
        cues: [],
        cue_names: {},
      },
    ],
  };
  return scoreOf(view as unknown as DeskView);
}

/** A kind of lane, of which only what matters is named. */
export const kindMade = (particular: Partial<LaneKind>): LaneKind => ({
  key: "cc:1",
  name: "Mod wheel",
  title: "CC 1 Mod wheel",
  number: 1,
  unit: "0–127",
  form: "level",
  default: 0,
  low: 0,
  high: 127,
  middle: 0,
  least: 0,
  decimals: 0,
  marks: [0, 64, 127],
  rounds: [],
  words: [],
  called: "",
  ...particular,
});
