import { expect, test } from "vitest";
import type { PointFiguresView } from "../../api/types";
import type { TrackPoint } from "./marks";
import { beyond, driving, within } from "./pointSet";

const figure = (id: string, error_px: number | null, acceleration_px: number, seen: number): PointFiguresView => ({
  id,
  error_px,
  acceleration_px,
  seen,
  carried: 0,
  lost: 0,
  worst_px: error_px,
  worst_frame: 3,
  speed_px: 1,
  sigma_px: 0.05,
});
const FIGURES = [figure("a", 0.1, 0.2, 90), figure("b", 1.4, 0.3, 90), figure("c", 0.2, 9, 90), figure("d", null, 0.1, 4)];
const point = (id: string): TrackPoint => ({
  id,
  keys: [{ frame: 0, at: [1, 2], half_size_px: null, search_px: null }],
  half_size_px: [12, 12],
  search_px: [40, 40],
  motion: "translation",
  against: "first",
  left_out: false,
  used_spans: [],
});

test("a filter picks what lies beyond any of its limits", () => {
  const none = { error: null, worst: null, acceleration: null, seen: null };
  expect(beyond(FIGURES, none)).toEqual([]);
  expect(beyond(FIGURES, { ...none, error: 1 })).toEqual(["b"]);
  expect(beyond(FIGURES, { ...none, worst: 0.15 })).toEqual(["b", "c"]);
  expect(beyond(FIGURES, { ...none, acceleration: 2 })).toEqual(["c"]);
  expect(beyond(FIGURES, { error: 1, worst: null, acceleration: 2, seen: 10 })).toEqual(["b", "c", "d"]);
});

test("points are taken out of the plane and back, or used for a while", () => {
  const points = ["a", "b"].map(point);
  const out = driving(points, ["b"], false);
  expect(out.map((p) => p.left_out)).toEqual([false, true]);
  expect(driving(out, ["b"], true)).toEqual(points);
  expect(within(points, ["a"], [4, 9])[0]?.used_spans).toEqual([[4, 9]]);
  expect(within(within(points, ["a"], [4, 9]), ["a"], null)).toEqual(points);
});
