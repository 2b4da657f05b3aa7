import { expect, it } from "vitest";
import { fitView, MOST_ZOOM, toPlate, toScreen, zoomAbout } from "./view";

const plate = { width: 1920, height: 1080 };

it("shows all of the plate in the middle", () => {
  const v = fitView(plate, { width: 800, height: 600 }, 1, 10);
  const a = toScreen(v, 1, { x: 0, y: 0 });
  const b = toScreen(v, 1, { x: 1920, y: 1080 });
  expect(a.x).toBeCloseTo(10);
  expect(b.x).toBeCloseTo(790);
  expect(a.y + b.y).toBeCloseTo(600);
});

it("goes to the screen and back, also with other pixel shapes", () => {
  const v = { zoom: 1.7, panX: 33, panY: -12 };
  for (const aspect of [1, 16 / 15, 2]) {
    const p = { x: 123.4, y: 56.7 };
    const back = toPlate(v, aspect, toScreen(v, aspect, p));
    expect(back.x).toBeCloseTo(p.x);
    expect(back.y).toBeCloseTo(p.y);
  }
});

it("zooms about the pointer and stops at the limits", () => {
  const v = { zoom: 1, panX: 0, panY: 0 };
  const about = { x: 200, y: 100 };
  const before = toPlate(v, 1, about);
  const closer = zoomAbout(v, about, 3);
  expect(toPlate(closer, 1, about).x).toBeCloseTo(before.x);
  expect(zoomAbout(v, about, 1e9).zoom).toBe(MOST_ZOOM);
});
