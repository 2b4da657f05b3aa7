import { expect, it } from "vitest";
import { actionOf, KEY_GROUPS, keysFound, nudgeOf, strideOf } from "./keys";

const key = (k: string, mods: Partial<Record<"shiftKey" | "ctrlKey" | "metaKey" | "altKey", boolean>> = {}) => ({
  key: k,
  shiftKey: false,
  ctrlKey: false,
  metaKey: false,
  altKey: false,
  ...mods,
});

it("moves between frames, or nudges while something is chosen", () => {
  expect(actionOf(key("ArrowRight"), false)).toBe("next");
  expect(actionOf(key("ArrowLeft", { shiftKey: true }), false)).toBe("previous10");
  expect(actionOf(key("ArrowRight"), true)).toBe("nudge");
  expect(actionOf(key("."), true)).toBe("next");
  expect(actionOf(key(","), true)).toBe("previous");
});

it("nudges by a tenth, a whole and a hundredth of a pixel", () => {
  expect(nudgeOf(key("ArrowRight"))).toEqual({ x: 0.1, y: 0 });
  expect(nudgeOf(key("ArrowUp", { shiftKey: true }))).toEqual({ x: 0, y: -1 });
  expect(nudgeOf(key("ArrowDown", { ctrlKey: true }))).toEqual({ x: 0, y: 0.01 });
});

it("moves the drawing hand by strides, also for a real event", () => {
  expect(strideOf(new KeyboardEvent("keydown", { key: "ArrowLeft", shiftKey: true }))).toEqual({ x: -40, y: 0 });
  expect(strideOf(key("ArrowDown"))).toEqual({ x: 0, y: 8 });
  expect(strideOf(key("ArrowDown", { ctrlKey: true }))).toEqual({ x: 0, y: 1 });
});

it("tracks, undoes and redoes", () => {
  expect(actionOf(key("t"), false)).toBe("track");
  expect(actionOf(key("T", { shiftKey: true }), false)).toBe("trackBack");
  expect(actionOf(key("b"), true)).toBe("trackBoth");
  expect(actionOf(key("z", { ctrlKey: true }), false)).toBe("undo");
  expect(actionOf(key("Z", { ctrlKey: true, shiftKey: true }), false)).toBe("redo");
});

it("leaves the browser its own keys", () => {
  for (const k of ["t", "f", "n", "l", "1", "c", "o"]) expect(actionOf(key(k, { ctrlKey: true }), false)).toBeNull();
  expect(actionOf(key("Tab"), false)).toBeNull();
  expect(actionOf(key("ArrowLeft", { altKey: true }), false)).toBeNull();
});

it("lists every key once", () => {
  const all = KEY_GROUPS.flatMap((g) => g.rows);
  expect(new Set(all.map((k) => k.does)).size).toBe(all.length);
  expect(
    keysFound("nudge chosen px")
      .flatMap((g) => g.rows)
      .map((r) => r.does),
  ).toEqual(["nudge the chosen corner or point by 0.1 px; Shift 1 px; Ctrl 0.01 px"]);
  expect(keysFound("inspect").map((g) => g.title)).toContain("Inspect");
  expect(keysFound("no such key")).toEqual([]);
});

it("has keys for following again, holding and curves, and keeps them out of commands", () => {
  const press = (key: string, more: Partial<Parameters<typeof actionOf>[0]> = {}) =>
    actionOf({ key, shiftKey: false, ctrlKey: false, metaKey: false, altKey: false, ...more }, false);
  expect(press("a")).toBe("again");
  expect(press("r")).toBe("againOn");
  expect(press("R", { shiftKey: true })).toBe("againBack");
  expect(press("h")).toBe("hold");
  expect(press("g")).toBe("curve");
  expect(press("a", { ctrlKey: true })).toBeNull();
  expect(press("r", { metaKey: true })).toBeNull();
});
