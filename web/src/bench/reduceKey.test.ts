import { expect, it } from "vitest";
import type { Surface } from "../api/client";
import { actionOf, type Pressed } from "./keys";
import { type Command, holdsArrows, reduceKey, type Seen } from "./reduceKey";
import { type BenchState, START } from "./state";

const CORNERS = [
  { x: 0, y: 0 },
  { x: 100, y: 0 },
  { x: 100, y: 50 },
  { x: 0, y: 50 },
];
const SHAPE = { id: "bollard", points: [...CORNERS, { x: 50, y: 80 }], keys: [0, 10, 20] };
const surface = {
  id: "sign",
  reference_frame: 4,
  corners: [[0, 0]],
  held: [{ frame: 6 }],
  points: [{ id: "rivet", keys: [{ frame: 3 }, { frame: 9 }] }],
} as unknown as Surface;
const frames = new Map([5, 6, 7].map((n) => [n, { homography: [1, 0, 0, 0, 1, 0, 0, 0, 1] }])) as unknown as Seen["work"]["frames"];

function seen(more: Partial<Seen> = {}, work: Partial<Seen["work"]> = {}): Seen {
  return {
    work: { surface, take: null, frames, count: 24, firstFrame: 1001, ...work },
    corners: CORNERS,
    shapes: [SHAPE, { id: "rope", points: CORNERS, keys: [] }],
    marks: [{ id: "rivet" }, { id: "bolt" }],
    tracking: false,
    crossing: null,
    ...more,
  };
}

/** What a key does, by its name, as in the Bench. */
function press(name: string, bench: Partial<BenchState> = {}, there: Seen = seen(), mods: Partial<Pressed> = {}): Command[] {
  const state = { ...START, frame: 5, ...bench };
  const pressed = { key: name, shiftKey: false, ctrlKey: false, metaKey: false, altKey: false, ...mods };
  const action = actionOf(pressed, holdsArrows(state));
  return action === null ? [] : reduceKey(action, pressed, state, there);
}

const chosen = (...indices: number[]): Partial<BenchState> => ({ selection: { kind: "points", shape: "bollard", indices } });
const corner: Partial<BenchState> = { selection: { kind: "corner", corner: 2 } };

it("moves through time, and follows from where it stands", () => {
  expect(press("ArrowRight")).toEqual([{ does: "goTo", frame: 6 }]);
  expect(press("ArrowLeft", {}, seen(), { shiftKey: true })).toEqual([{ does: "goTo", frame: -5 }]);
  expect(press("End")).toEqual([{ does: "goTo", frame: 23 }]);
  expect(press("a")).toEqual([{ does: "again", span: [5, 5] }]);
  expect(press("r")).toEqual([{ does: "again", span: [5, 23], direction: "forwards" }]);
  expect(press("R", {}, seen(), { shiftKey: true })).toEqual([{ does: "again", span: [0, 5], direction: "backwards" }]);
});

it("puts things down one after another with Escape: the drawing, the tracking, the choice", () => {
  expect(press("Escape", { tool: "include", ...corner }, seen({ tracking: true }))).toEqual([{ does: "leaveDrawing" }]);
  expect(press("Escape", corner, seen({ tracking: true }))).toEqual([{ does: "stopTracking" }]);
  expect(press("Escape", corner)).toEqual([{ does: "set", bench: { selection: null } }]);
});

it("moves the hand while drawing, else what is chosen, else time", () => {
  expect(press("ArrowDown", { tool: "corners" })).toEqual([{ does: "moveHand", by: { x: 0, y: 8 } }]);
  expect(press("ArrowDown", corner)).toEqual([{ does: "nudgeShape", id: "corners", indices: [2], by: { x: 0, y: 0.1 } }]);
  expect(press("ArrowDown", chosen(1, 3))).toEqual([{ does: "nudgeShape", id: "bollard", indices: [1, 3], by: { x: 0, y: 0.1 } }]);
  expect(press("ArrowDown", { selection: { kind: "mark", id: "bolt" } })).toEqual([{ does: "nudgeMark", id: "bolt", by: { x: 0, y: 0.1 } }]);
  expect(press("ArrowLeft", { selection: { kind: "artwork" }, step: "place" })).toEqual([{ does: "nudgeArtwork", by: { x: -0.1, y: 0 } }]);
  // Artwork is taken hold of in Place alone.
  expect(press("ArrowLeft", { selection: { kind: "artwork" }, step: "inspect" })).toEqual([{ does: "goTo", frame: 4 }]);
});

it("does not nudge corners where they are not known, nor what is gone", () => {
  expect(press("ArrowDown", { ...corner, frame: 12 })).toEqual([]);
  expect(press("ArrowDown", { ...corner, frame: 4 })).toHaveLength(1);
  expect(press("ArrowDown", { selection: { kind: "mark", id: "gone" } })).toEqual([]);
  expect(press("ArrowDown", { selection: { kind: "points", shape: "gone", indices: [0] } })).toEqual([]);
});

it("holds corners, and lets them go, but not at the reference, on a mended track, or where nothing was found", () => {
  const held = press("h");
  expect(held).toEqual([{ does: "edit", edit: { kind: "hold_frame", surface: "sign", frame: 5, corners: CORNERS.map((p) => [p.x, p.y]) } }]);
  expect(press("h", { frame: 6 })).toEqual([{ does: "edit", edit: { kind: "hold_frame", surface: "sign", frame: 6, corners: null } }]);
  expect(press("h", { frame: 4 })).toEqual([]);
  expect(press("h", { frame: 12 })).toEqual([]);
  expect(press("h", {}, seen({}, { take: { mended: true } as Seen["work"]["take"] }))).toEqual([]);
});

it("takes points away from the last, and the whole shape where less than three would be left", () => {
  const away = press("Delete", chosen(1, 3));
  expect(away).toEqual([
    { does: "commit", id: "bollard", points: [CORNERS[0], CORNERS[2], SHAPE.points[4]] },
    { does: "set", bench: { selection: null } },
  ]);
  expect(press("Delete", chosen(0, 1, 2))[0]).toEqual({ does: "removeShape", id: "bollard" });
  expect(press("Delete", chosen(1), seen(), { shiftKey: true })[0]).toEqual({ does: "removeShape", id: "bollard" });
  expect(press("Delete", { selection: { kind: "mark", id: "bolt" } })[0]).toEqual({ does: "removeMark", id: "bolt" });
  expect(press("Delete", corner)).toEqual([]);
});

it("goes round corners, points and single points", () => {
  expect(press("Tab", { selection: { kind: "corner", corner: 3 } })).toEqual([{ does: "set", bench: { selection: { kind: "corner", corner: 0 } } }]);
  expect(press("Tab", chosen(0), seen(), { shiftKey: true })).toEqual([{ does: "set", bench: chosen(4) }]);
  expect(press("Tab", { selection: { kind: "mark", id: "bolt" } })).toEqual([{ does: "set", bench: { selection: { kind: "mark", id: "rivet" } } }]);
});

it("goes to the keys of what is chosen", () => {
  expect(press("]", chosen(0))).toEqual([{ does: "goTo", frame: 10 }]);
  expect(press("[", { selection: { kind: "mark", id: "rivet" } })).toEqual([{ does: "goTo", frame: 3 }]);
  expect(press("]", corner)).toEqual([]);
});

it("snaps a chosen corner to the crossing that is offered", () => {
  const [snapped] = press("s", corner, seen({ crossing: { x: 101.25, y: 49.5 } }));
  expect(snapped).toEqual({ does: "commit", id: "corners", points: [CORNERS[0], CORNERS[1], { x: 101.25, y: 49.5 }, CORNERS[3]] });
  expect(press("s", corner)).toEqual([]);
});

it("takes a tool in hand only where it can be used", () => {
  expect(press("p", { frame: 4 })).toEqual([
    { does: "set", bench: { step: "outline" } },
    { does: "takeTool", tool: "corners" },
  ]);
  expect(press("p", { frame: 5 })).toEqual([]);
  expect(press("i", { frame: 12 })).toEqual([]);
});

it("shows the next frame to look at, from the last to the first again", () => {
  const take = { looks: [{ frame: 9 }, { frame: 2 }] } as unknown as Seen["work"]["take"];
  expect(press("n", {}, seen({}, { take }))).toEqual([{ does: "set", bench: { frame: 9, step: "inspect" } }]);
  expect(press("n", { frame: 9 }, seen({}, { take }))).toEqual([{ does: "set", bench: { frame: 2, step: "inspect" } }]);
  expect(press("n")).toEqual([]);
});
