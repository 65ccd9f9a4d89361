import { expect, it } from "vitest";
import { Members } from "./members";

const SETUP = [
  [0xb0, 101, 0],
  [0xb0, 100, 6],
  [0xb0, 6, 2],
];

function inZone(): Members {
  const members = new Members();
  for (const one of SETUP) members.spread(one);
  return members;
}

it("leaves messages as they are where there is no zone", () => {
  expect(new Members().spread([0xb0, 7, 100])).toEqual([[0xb0, 7, 100]]);
});

it("gives what the manager says to all members", () => {
  expect(inZone().spread([0xb0, 64, 127])).toEqual([
    [0xb0, 64, 127],
    [0xb1, 64, 127],
    [0xb2, 64, 127],
  ]);
  expect(inZone().spread([0xc0, 5])).toEqual([
    [0xc0, 5],
    [0xc1, 5],
    [0xc2, 5],
  ]);
});

it("leaves notes and bends their channels", () => {
  expect(inZone().spread([0x91, 60, 80])).toEqual([[0x91, 60, 80]]);
  expect(inZone().spread([0xe2, 0, 80])).toEqual([[0xe2, 0, 80]]);
  expect(inZone().spread([0xb1, 74, 80])).toEqual([[0xb1, 74, 80]]);
});

it("gives the range of one member to all", () => {
  expect(inZone().spread([0xb2, 6, 48])).toEqual([
    [0xb1, 6, 48],
    [0xb2, 6, 48],
  ]);
});

it("ends a zone of no members", () => {
  const members = inZone();
  members.spread([0xb0, 6, 0]);
  expect(members.spread([0xb0, 64, 127])).toEqual([[0xb0, 64, 127]]);
});

it("adds the manager's bend to that of each member", () => {
  const members = inZone();
  // Both members bend by 24 semitones, the manager by its 2: half of that up is one twenty-fourth of theirs.
  for (const bytes of [
    [0xb1, 101, 0],
    [0xb1, 100, 0],
    [0xb1, 6, 24],
  ])
    members.spread(bytes);
  members.spread([0xe1, 0, 80]); // a quarter up: 6 semitones
  const raised = 8192 + Math.round(8192 / 24);
  expect(members.spread([0xe0, 0, 96])).toEqual([
    [0xe0, 0, 96],
    [0xe1, (2048 + raised) & 0x7f, (2048 + raised) >> 7],
    [0xe2, raised & 0x7f, raised >> 7],
  ]);
  expect(members.spread([0xe2, 0, 64])).toEqual([[0xe2, raised & 0x7f, raised >> 7]]);
});
