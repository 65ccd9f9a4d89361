import { beforeEach, expect, test, vi } from "vitest";
import { type History, type Preview, Refusal, type Stroke } from "../../api/client";
import { type Attempt, Attempts, type Page, REST, type Server } from "./attempts";

/** A question that waits for its answer. */
interface Asked<T> {
  attempt: Attempt;
  whole: boolean;
  answer: (value: T) => void;
  refuse: (reason: Refusal) => void;
}

const nudge = (by: number): Stroke => ({ kind: "velocity.nudge", where: {}, by, limit: "pin" });
const answerTo = ({ stroke }: Attempt, whole = true) =>
  ({ stroke, mark: null, delta: { changes: {}, lanes: [] }, whole }) as unknown as Preview;
const settle = () => new Promise((resolve) => setTimeout(resolve));
const byOf = ({ stroke }: { stroke: Stroke }) => (stroke.kind === "velocity.nudge" ? stroke.by : undefined);

let tried: Asked<Preview>[];
let kept: Asked<number | null>[];
let said: { text: string; run?: () => void }[];
let seen: string[];
let attempts: Attempts;

beforeEach(() => {
  [tried, kept, said, seen] = [[], [], [], []];
  const waitIn =
    <T>(list: Asked<T>[]) =>
    (attempt: Attempt, whole = false) =>
      new Promise<T>((answer, refuse) => list.push({ attempt: { ...attempt }, whole, answer, refuse }));
  const server: Server = { tries: waitIn(tried), keeps: waitIn(kept) };
  const page: Page = {
    opened: () => seen.push("opened"),
    altered: () => undefined,
    tried: (attempt) => seen.push(`tried ${byOf(attempt)}`),
    impossible: (_, reason) => seen.push(`impossible: ${reason.message}`),
    kept: ({ number }) => seen.push(`kept as ${number}`),
    surprised: async () => void seen.push("read anew"),
    told: (text, _, run) => said.push({ text, run }),
    saving: () => undefined,
  };
  attempts = new Attempts(server, page);
});

test("of what is tried while one is under way only the last is sent", async () => {
  for (const by of [1, 2, 3]) attempts.preview(nudge(by));
  expect(tried.map(({ attempt }) => byOf(attempt))).toEqual([1]);
  tried[0]!.answer(answerTo(tried[0]!.attempt));
  await settle();
  expect(tried.map(({ attempt }) => byOf(attempt))).toEqual([1, 3]);
});

test("where only what is in sight was worked out, all of it is once the hand rests", async () => {
  vi.useFakeTimers();
  const answered = async (at: number, whole: boolean) => {
    tried[at]!.answer(answerTo(tried[at]!.attempt, whole));
    await vi.advanceTimersByTimeAsync(0);
  };
  attempts.preview(nudge(1));
  await answered(0, false);
  await vi.advanceTimersByTimeAsync(REST - 1);
  attempts.preview(nudge(2));
  await answered(1, false);
  await vi.advanceTimersByTimeAsync(REST - 1);
  expect(tried).toHaveLength(2);
  await vi.advanceTimersByTimeAsync(1);
  expect(tried.map(({ attempt, whole }) => [byOf(attempt), whole])).toEqual([
    [1, false],
    [2, false],
    [2, true],
  ]);
  await answered(2, true);
  await vi.advanceTimersByTimeAsync(REST);
  expect(tried).toHaveLength(3);
  // What is let go of is not asked for any more; nor what is kept.
  attempts.preview(nudge(3));
  await answered(3, false);
  attempts.forget();
  attempts.preview(nudge(4));
  await answered(4, false);
  void attempts.keep();
  await vi.advanceTimersByTimeAsync(REST);
  expect(kept).toHaveLength(1);
  expect(tried).toHaveLength(5);
  vi.useRealTimers();
});

test("what is let go of before its answer comes is not shown", async () => {
  attempts.preview(nudge(1));
  attempts.forget();
  tried[0]!.answer(answerTo(tried[0]!.attempt));
  await settle();
  expect(seen).toEqual(["opened"]);
});

test("what is meant is tried first and written then, and stays open under its number", async () => {
  attempts.preview(nudge(4));
  void attempts.keep();
  tried[0]!.answer(answerTo(tried[0]!.attempt));
  await settle();
  expect(kept.map(({ attempt }) => [byOf(attempt), attempt.number])).toEqual([[4, null]]);
  expect(attempts.unwritten().meant).toHaveLength(1);
  kept[0]!.answer(7);
  await settle();
  expect(seen.at(-1)).toBe("kept as 7");
  expect(attempts.unwritten()).toEqual({ meant: [], open: null });
});

test("a stroke is written although the next gesture came before it was", async () => {
  attempts.preview(nudge(1));
  void attempts.keep();
  attempts.forget();
  attempts.preview(nudge(2));
  tried[0]!.answer(answerTo(tried[0]!.attempt));
  await settle();
  expect(kept.map(({ attempt }) => byOf(attempt))).toEqual([1]);
  expect(tried).toHaveLength(1); // The next one is tried on what this one leaves.
  kept[0]!.answer(1);
  await settle();
  expect(tried.map(({ attempt }) => byOf(attempt))).toEqual([1, 2]);
});

test("what the hand has changed while it was being written is still open, and changes that stroke", async () => {
  attempts.preview(nudge(1));
  tried[0]!.answer(answerTo(tried[0]!.attempt));
  await settle();
  void attempts.keep();
  await settle();
  attempts.preview(nudge(2));
  kept[0]!.answer(5);
  await settle();
  expect(byOf(tried[1]!.attempt)).toBe(2);
  expect(tried[1]!.attempt.number).toBe(5);
  expect(attempts.unwritten().open).toMatchObject({ number: 5 });
});

test("where the server did not answer, it is meant until it is written", async () => {
  void attempts.keepNow(nudge(3));
  await settle();
  kept[0]!.refuse(new Refusal(0, "No answer."));
  await settle();
  expect(said[0]!.text).toBe("No answer.");
  expect(attempts.unwritten().meant).toHaveLength(1);
  said[0]!.run?.();
  await settle();
  kept[1]!.answer(1);
  await settle();
  expect(attempts.unwritten().meant).toHaveLength(0);
});

test("on a take that has changed elsewhere nothing is kept unasked, and all that waited is kept when asked", async () => {
  void attempts.keepNow(nudge(1));
  void attempts.keepAgain(nudge(2), null);
  await settle();
  kept[0]!.refuse(new Refusal(409, "Changed elsewhere.", null, { revision: 9 } as History));
  await settle();
  expect(seen).toContain("read anew");
  expect(kept).toHaveLength(1);
  said[0]!.run?.();
  await settle();
  kept[1]!.answer(1);
  await settle();
  expect(kept.slice(1).map(({ attempt }) => byOf(attempt))).toEqual([1, 2]);
});

test("what cannot be is told where it is made, and is not written", async () => {
  attempts.preview(nudge(200));
  void attempts.keep();
  tried[0]!.refuse(new Refusal(422, "Velocity goes to 127."));
  await settle();
  expect(seen).toContain("impossible: Velocity goes to 127.");
  expect(kept).toHaveLength(0);
  expect(attempts.unwritten().meant).toHaveLength(0);
});

test.each(["close", "settle"] as const)("numbers that follow impossible ones are kept: %s", async (way) => {
  attempts.preview(nudge(1));
  attempts.preview(nudge(2));
  tried[0]!.refuse(new Refusal(422, "That cannot be."));
  await settle();
  // The hand lets go before it is known of the new ones.
  expect(attempts.isImpossible()).toBe(false);
  void attempts[way]();
  tried[1]!.answer(answerTo(tried[1]!.attempt));
  await settle();
  const asked = tried[2];
  asked?.answer(answerTo(asked.attempt));
  await settle();
  expect(kept.map(({ attempt }) => byOf(attempt))).toEqual([2]);
});

test("numbers that are known to be impossible are not kept", async () => {
  attempts.preview(nudge(1));
  tried[0]!.refuse(new Refusal(422, "That cannot be."));
  await settle();
  expect(attempts.isImpossible()).toBe(true);
  attempts.close();
  await settle();
  expect(kept).toEqual([]);
});
