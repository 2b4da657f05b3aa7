import { expect, test } from "vitest";
import { newGrade, onlyListed, pointsOf, withCurve, withMore } from "./grade";

test("a point is put into the widest gap, where it changes nothing yet", () => {
  expect(
    withMore([
      [0, 0],
      [1, 1],
    ]),
  ).toEqual([
    [0, 0],
    [0.5, 0.5],
    [1, 1],
  ]);
  expect(
    withMore([
      [0, 0.1],
      [0.2, 0.3],
      [1, 0.9],
    ]),
  ).toEqual([
    [0, 0.1],
    [0.2, 0.3],
    [0.6, 0.6],
    [1, 0.9],
  ]);
});

test("curves keep their points in order, and straight ones are none", () => {
  const bent = withCurve(newGrade(), "red", [
    [1, 0.9],
    [0, 0.05],
  ]);
  expect(pointsOf(bent, "red")).toEqual([
    [0, 0.05],
    [1, 0.9],
  ]);
  expect(pointsOf(bent, "blue")).toEqual([
    [0, 0],
    [1, 1],
  ]);
  expect(
    withCurve(bent, "red", [
      [0, 0],
      [1, 1],
    ]).curves,
  ).toBeNull();
  expect([onlyListed(newGrade()), onlyListed(bent), onlyListed({ ...newGrade(), contrast: 1.1 })]).toEqual([true, false, false]);
});
