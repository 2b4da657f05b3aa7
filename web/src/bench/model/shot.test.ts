import { canCompose } from "./shot";
import { describe, expect, it } from "vitest";
import type { Occluder, Shot, Surface, TakeFrame } from "../../api/types";
import { correctionAt, cornersAt, depthOrder, freshId, knowsLens } from "./shot";

const surface = {
  id: "s",
  name: "S",
  depth: 1,
  reference_frame: 10,
  motion: "perspective",
  reach_frames: 10,
  region: { include: [], exclude: [] },
  corners: [
    [0, 0],
    [10, 0],
    [10, 10],
    [0, 10],
  ],
  corrections: [{ frame: 50, corner: 2, dx_px: 1.5, dy_px: -0.5 }],
} as unknown as Surface;

const moved: TakeFrame = {
  frame: 11,
  status: "followed",
  homography: [1, 0, 5, 0, 1, -2, 0, 0, 1],
  sigma_px: null,
  residual_px: null,
  share_used: 1,
  margin_px: null,
  through: null,
  first_look: false,
  defocus_px2: null,
  smear_px: null,
  noise: null,
  reason: "",
};
const lost: TakeFrame = { ...moved, frame: 12, status: "lost", homography: null };

describe("corners at a frame", () => {
  it("are the document's at the reference frame", () => {
    expect(cornersAt(surface, undefined, 10)?.[2]).toEqual({ x: 10, y: 10 });
  });
  it("follow the take, and are unknown where it is lost or untracked", () => {
    const frames = new Map([
      [11, moved],
      [12, lost],
    ]);
    expect(cornersAt(surface, frames, 11)?.[0]).toEqual({ x: 5, y: -2 });
    expect(cornersAt(surface, frames, 12)).toBeNull();
    expect(cornersAt(surface, frames, 13)).toBeNull();
  });
  it("carry a correction exactly on its frame and fading around it", () => {
    expect(correctionAt(surface, 2, 50)).toEqual({ x: 1.5, y: -0.5 });
    expect(correctionAt(surface, 2, 55).x).toBeGreaterThan(0);
    expect(correctionAt(surface, 2, 55).x).toBeLessThan(1.5);
    expect(correctionAt(surface, 2, 60).x).toBe(0);
    expect(correctionAt(surface, 1, 50)).toEqual({ x: 0, y: 0 });
  });
});

describe("what passes in front", () => {
  const arm = {
    id: "arm",
    name: "Arm",
    depth: 0,
    feather_px: 1,
    span: [5, 25],
    keys: [
      {
        frame: 10,
        points: [
          [0, 0],
          [1, 0],
          [1, 1],
        ],
      },
      {
        frame: 20,
        points: [
          [10, 0],
          [11, 0],
          [11, 1],
        ],
      },
    ],
  } as unknown as Occluder;

  it("stands nearer in the depth line", () => {
    expect(depthOrder({ surfaces: [surface], occluders: [arm] }).map((x) => x.id)).toEqual(["arm", "s"]);
  });
});

it("knows a lens once it has terms, or lines to find them from", () => {
  const none = { mode: "estimate", k1: 0, k2: 0, k3: 0, p1: 0, p2: 0, centre: null, lines: [] } as Shot["lens"];
  expect(knowsLens({ lens: none })).toBe(false);
  expect(
    knowsLens({
      lens: {
        ...none,
        lines: [
          [
            [0, 0],
            [5, 1],
            [10, 0],
          ],
        ],
      },
    }),
  ).toBe(true);
  expect(knowsLens({ lens: { ...none, mode: "given", k2: 0.01 } })).toBe(true);
  expect(
    knowsLens({
      lens: {
        ...none,
        mode: "none",
        k1: -0.1,
        lines: [
          [
            [0, 0],
            [5, 1],
            [10, 0],
          ],
        ],
      },
    }),
  ).toBe(false);
});

it("finds an id that is not taken", () => {
  expect(freshId("in-front", ["in-front", "in-front-2"])).toBe("in-front-3");
});

describe("a result picture", () => {
  const media = (proxies: number, state: string) => ({ facts: { frame_count: 10 }, proxies, state });
  const shot = (plate: unknown, art: unknown) =>
    ({
      document: { plate: { media: "a" }, placements: [{ on: true, artwork: { kind: "file", media: "b" } }] },
      media: { a: plate, b: art },
    }) as unknown as Parameters<typeof canCompose>[0];
  it("is asked for only once all that it is made from was read", () => {
    expect(canCompose(shot(media(10, "ready"), media(10, "ready")), 4)).toBe(true);
    expect(canCompose(shot(media(10, "ready"), media(4, "reading")), 4)).toBe(false);
    expect(canCompose(shot(media(10, "ready"), media(5, "reading")), 4)).toBe(true);
    expect(canCompose(shot(media(10, "ready"), { ...media(0, "reading"), facts: null }), 0)).toBe(false);
    expect(canCompose(shot(media(10, "ready"), undefined), 0)).toBe(false);
  });
});
