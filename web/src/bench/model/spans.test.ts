import { expect, it } from "vitest";
import { joined, without } from "./spans";

it("joins spans that touch or overlap", () => {
  expect(
    joined([
      [10, 12],
      [0, 4],
      [5, 6],
      [11, 20],
    ]),
  ).toEqual([
    [0, 6],
    [10, 20],
  ]);
  expect(joined([])).toEqual([]);
});

it("takes a span out of another", () => {
  expect(without([0, 99], [10, 20])).toEqual([
    [0, 9],
    [21, 99],
  ]);
  expect(without([0, 99], [0, 20])).toEqual([[21, 99]]);
  expect(without([0, 99], [0, 99])).toEqual([]);
});
