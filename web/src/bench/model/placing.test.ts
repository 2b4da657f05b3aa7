import { expect, it } from "vitest";
import type { Placement, Timing } from "../../api/types";
import { fileArtwork } from "../../shelf/artwork";
import { endsAt, exchanged, keyToggled, layoutAt, layoutSet, newPlacement, positionAt, stretchedOver } from "./placing";

const timing = (change: Partial<Timing> = {}): Timing => ({
  rate: "own",
  offset: 0,
  first: null,
  last: null,
  after: "hold",
  retime: [],
  frames: "nearest",
  ...change,
});
const placed = (id: string, surface: string): Placement => ({ ...newPlacement(surface, fileArtwork("a"), []), id });

it("gives a new placement a name that is free", () => {
  expect(newPlacement("s", fileArtwork("a"), [{ id: "art" }]).id).toBe("art-2");
});

it("exchanges neighbours of the same surface, and none beyond the ends", () => {
  const all = [placed("a", "s"), placed("x", "other"), placed("b", "s")];
  expect(exchanged(all, "a", 1)).toEqual(["b", "x", "a"]);
  expect(exchanged(all, "b", 1)).toBeNull();
  expect(exchanged(all, "x", -1)).toBeNull();
});

it("runs at its own rate, from its first used frame, or by keys", () => {
  expect(positionAt(timing(), 12, 24, 10)).toBe(5);
  expect(positionAt(timing({ rate: "plate", first: 3, offset: 2 }), 12, 24, 10)).toBe(15);
  const keyed = timing({
    retime: [
      { frame: 0, at: 10, ease: "linear" },
      { frame: 10, at: 30, ease: "held" },
      { frame: 20, at: 99, ease: "linear" },
    ],
  });
  expect([0, 5, 15, 25].map((n) => positionAt(keyed, 12, 24, n))).toEqual([10, 20, 30, 99]);
});

it("tells where artwork ends against the plate", () => {
  expect(endsAt(timing(), 30, 12, 24, 96)).toBe(60);
  expect(endsAt(timing(), 96, null, 24, 96)).toBeNull();
  expect(endsAt(stretchedOver(timing(), 30, 96), 30, 12, 24, 96)).toBeNull();
});

it("lays artwork by one key that holds, or by several that it runs between", () => {
  const one = layoutSet([], 20, { move: [0.5, 0] });
  expect(one).toHaveLength(1);
  expect(layoutAt(one, 3).move).toEqual([0.5, 0]);
  const two = layoutSet(keyToggled(one, 10), 10, { turn_deg: 90 });
  expect(two.map((k) => k.frame)).toEqual([0, 10]);
  expect(layoutAt(two, 5).turn_deg).toBe(45);
  expect(keyToggled(two, 10)).toHaveLength(1);
});
