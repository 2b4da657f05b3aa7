import { placeInside } from "./marks";
import { describe, expect, it } from "vitest";
import { markAt, sizesAt, type TrackPoint, withKey, withoutMarkKey } from "./marks";

const point: TrackPoint = {
  id: "p1",
  motion: "translation",
  against: "first",
  left_out: false,
  used_spans: [],
  half_size_px: [12, 12],
  search_px: [40, 40],
  keys: [
    { frame: 10, at: [100, 50], half_size_px: null, search_px: null },
    { frame: 30, at: [140, 60], half_size_px: null, search_px: [80, 80] },
  ],
};

it("shows a key, else what was found, else the nearest key", () => {
  expect(markAt(point, 30, undefined)).toMatchObject({ at: { x: 140, y: 60 }, status: "by_hand" });
  expect(markAt(point, 20, { status: "followed", x: 121.5, y: 54, sigma_px: 0.05 })).toMatchObject({
    at: { x: 121.5, y: 54 },
    status: "followed",
    sigma: 0.05,
  });
  expect(markAt(point, 12, undefined)).toMatchObject({ at: { x: 100, y: 50 }, status: "unknown" });
  expect(markAt(point, 29, { status: "lost", x: null, y: null, sigma_px: null })).toMatchObject({ at: { x: 140, y: 60 }, status: "lost" });
});

it("keeps a changed size from its key on", () => {
  expect(sizesAt(point, 29).search).toEqual([40, 40]);
  expect(sizesAt(point, 45)).toEqual({ half: [12, 12], search: [80, 80] });
});

it("sets a key without losing what it says besides", () => {
  const moved = withKey(point, 30, { at: [141, 61] });
  expect(moved.keys[1]).toEqual({ frame: 30, at: [141, 61], half_size_px: null, search_px: [80, 80] });
  expect(withKey(point, 20, { at: [1, 2] }).keys.map((k) => k.frame)).toEqual([10, 20, 30]);
});

it("keeps its last key", () => {
  const one = withoutMarkKey(point, 10);
  expect(one.keys).toHaveLength(1);
  expect(withoutMarkKey(one, 30)).toBe(one);
});

describe("a pattern that reaches beyond its surface", () => {
  const quad = [
    { x: 100, y: 100 },
    { x: 300, y: 110 },
    { x: 295, y: 260 },
    { x: 98, y: 250 },
  ];
  it("is offered the nearest place inside", () => {
    const to = placeInside({ x: 100, y: 100 }, [12, 12], quad);
    expect(to).not.toBeNull();
    expect(to?.x).toBeGreaterThan(111);
    expect(to?.y).toBeGreaterThan(111);
    expect(Math.hypot((to?.x ?? 0) - 100, (to?.y ?? 0) - 100)).toBeLessThan(24);
    expect(placeInside(to ?? { x: 0, y: 0 }, [12, 12], quad)).toBeNull();
  });
  it("is left alone where it lies inside, or where nothing fits", () => {
    expect(placeInside({ x: 200, y: 180 }, [12, 12], quad)).toBeNull();
    expect(placeInside({ x: 100, y: 100 }, [200, 200], quad)).toBeNull();
  });
});
