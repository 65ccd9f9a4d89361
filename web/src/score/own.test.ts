import { describe, expect, it } from "vitest";
import { isOfNotes, otherLevel, ownOf, withOwnChanges } from "./own";

const STRAIGHT = { node: [], lift: [], ease: [], time: [], line: [] };
const TOLD = {
  key: "note:pitch",
  ids: [3, 9],
  count: [2, 1],
  // Differences over all nodes, one note after another: 0, 480; then 120 from the start of the second.
  tick: [0, 480, -360],
  value: [0, 2, -1],
  ways: [[0, 0]] as [number, number][],
  bent: { node: [0], lift: [0.5], ease: [0], time: [480], line: [0, 2] },
};

describe("curves of notes", () => {
  it("are told apart note by note, each timed from its start", () => {
    const lane = ownOf(TOLD);
    expect([...(lane.notes?.keys() ?? [])]).toEqual([3, 9]);
    expect([...(lane.notes?.get(3)?.tick ?? [])]).toEqual([0, 480]);
    expect([...(lane.notes?.get(9)?.tick ?? [])]).toEqual([120]);
    expect(lane.notes?.get(3)?.bent.get(0)?.lift).toBe(0.5);
    expect([lane.lowest, lane.highest]).toEqual([-1, 2]);
  });

  it("change for the notes that a preview names, and go where it gives none", () => {
    const before = new Map([["note:pitch", ownOf(TOLD)]]);
    const change = { ...TOLD, ids: [9, 3], count: [1, 0], tick: [0], value: [5], ways: [], bent: STRAIGHT };
    const after = withOwnChanges(before, [change]).get("note:pitch");
    expect([...(after?.notes?.keys() ?? [])]).toEqual([9]);
    expect(after?.notes?.get(9)?.value[0]).toBe(5);
    expect(before.get("note:pitch")?.notes?.size).toBe(2);
  });

  it("stand on the lane of their channel", () => {
    for (const key of ["bend", "pressure", "cc:74", "cc:10", "cc:1"]) {
      expect(isOfNotes(otherLevel(key))).toBe(true);
      expect(otherLevel(otherLevel(key))).toBe(key);
    }
  });
});
