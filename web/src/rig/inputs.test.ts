import { expect, it } from "vitest";
import { onePart } from "./inputs";

it("plays one part, whatever channel an instrument is set to", () => {
  expect(onePart([0x92, 60, 80], "Old keys")).toEqual([0x90, 60, 80]);
  expect(onePart([0xeb, 0, 64], "Old keys")).toEqual([0xe0, 0, 64]);
});

it("leaves notes their channels where the instrument says that they have them", () => {
  for (const [number = 0, value = 0] of [
    [101, 0],
    [100, 6],
    [6, 15],
  ])
    onePart([0xb0, number, value], "Pad");
  expect(onePart([0x93, 60, 80], "Pad")).toEqual([0x93, 60, 80]);
  expect(onePart([0x93, 60, 80], "Old keys")).toEqual([0x90, 60, 80]);
  onePart([0xb0, 6, 0], "Pad");
  expect(onePart([0x93, 60, 80], "Pad")).toEqual([0x90, 60, 80]);
});

it("counts members of the upper zone as those of the lower", () => {
  for (const [number = 0, value = 0] of [
    [101, 0],
    [100, 6],
    [6, 7],
  ])
    onePart([0xbf, number, value], "Board");
  expect(onePart([0x9e, 60, 80], "Board")).toEqual([0x91, 60, 80]);
  expect(onePart([0xef, 0, 64], "Board")).toEqual([0xe0, 0, 64]);
});
