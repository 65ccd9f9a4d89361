import { expect, it } from "vitest";
import type { StrokeView } from "../../api/client";
import { takenFrom } from "./passes";

const WHOLE: [number, number] = [0, 400];

function round(number: number, on: boolean, only: [number, number][] | null = null): StrokeView {
  const stroke = { kind: "record.pass", events: "", where: { parts: [0], span: WHOLE }, only };
  return { number, on, stroke } as unknown as StrokeView;
}

const told = (changes: ReturnType<typeof takenFrom>) =>
  changes.map(({ number, on, stroke }) => [number, on, (stroke as { only?: unknown }).only]);

it("takes bars from one round and away from the one that sounds", () => {
  const rounds = [round(1, false), round(2, true)];
  expect(told(takenFrom(rounds, rounds[0]!, [100, 200]))).toEqual([
    [1, true, [[100, 200]]],
    [
      2,
      true,
      [
        [0, 100],
        [200, 400],
      ],
    ],
  ]);
});

it("lets one round sound alone", () => {
  const rounds = [
    round(1, true, [[100, 200]]),
    round(2, true, [
      [0, 100],
      [200, 400],
    ]),
  ];
  expect(told(takenFrom(rounds, rounds[0]!, WHOLE))).toEqual([
    [1, true, null],
    [
      2,
      false,
      [
        [0, 100],
        [200, 400],
      ],
    ],
  ]);
});

it("changes nothing where nothing is otherwise", () => {
  const rounds = [round(1, false), round(2, true)];
  expect(takenFrom(rounds, rounds[1]!, [100, 200])).toEqual([]);
});

it("stays within the bars that were played", () => {
  const rounds = [round(1, false), round(2, true)];
  expect(told(takenFrom(rounds, rounds[0]!, [300, 900]))[0]!).toEqual([1, true, [[300, 400]]]);
});
