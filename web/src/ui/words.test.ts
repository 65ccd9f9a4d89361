import { expect, test } from "vitest";
import { between, heightAt, rounded } from "./numbers";
import { clock, count } from "./words";

test("clock time and numbers with their nouns", () => {
  expect([0, 59.9, 60, 3725].map(clock)).toEqual(["0:00", "0:59", "1:00", "62:05"]);
  expect(count(1, "note")).toBe("1 note");
  expect(count(20_000, "note")).toBe("20,000 notes");
});

test("numbers are held and rounded", () => {
  expect([between(-3, 0, 5), between(9, 0, 5), between(2, 0, 5)]).toEqual([0, 5, 2]);
  expect(rounded(1.005 + 1e-9)).toBe(1.01);
});

test("a line is read where it runs", () => {
  expect(
    heightAt(
      [
        [0, 0],
        [10, 100],
        [20, 0],
      ],
      5,
    ),
  ).toBe(50);
  expect(
    heightAt(
      [
        [0, 0],
        [10, 100],
        [20, 0],
      ],
      15,
    ),
  ).toBe(50);
});
