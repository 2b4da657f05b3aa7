import { describe, expect, it } from "vitest";
import type { Placement } from "../../api/types";
import { laneOf, spanDragged } from "./lane";

const time = { rate: "own", offset: 0, first: null, last: null, after: "hold", retime: [], frames: "nearest" };
const placed = (rest: object = {}, t: object = {}) => ({ artwork: { kind: "file" }, span: null, ...rest, time: { ...time, ...t } }) as unknown as Placement;
const film = { frames: 30, rate: 24 };

describe("the lane of artwork in time", () => {
  it("holds after its end, or is gone", () => {
    expect(laneOf(placed(), film, 24, 60)).toMatchObject({ first: 0, last: 59, holds: 30, again: [] });
    expect(laneOf(placed({}, { after: "end" }), film, 24, 60)).toMatchObject({ first: 0, last: 29, holds: null });
    expect(laneOf(placed({}, { after: "end", offset: -10 }), film, 24, 60)).toMatchObject({ first: 10, last: 39 });
  });
  it("begins again where it loops, at its own rate", () => {
    expect(laneOf(placed({}, { after: "loop" }), film, 24, 70).again).toEqual([30, 60]);
    expect(laneOf(placed({}, { after: "loop" }), { frames: 30, rate: 12 }, 24, 70).again).toEqual([60]);
  });
  it("has ticks that crowd where it is fast", () => {
    const retime = [
      { frame: 0, at: 0, ease: "linear" },
      { frame: 40, at: 20, ease: "linear" },
      { frame: 60, at: 100, ease: "linear" },
    ];
    const { ticks } = laneOf(placed({}, { retime }), { frames: 200, rate: 24 }, 24, 61);
    const steps = ticks.slice(1).map((n, i) => n - (ticks[i] ?? 0));
    expect(steps[0]).toBeGreaterThan(15);
    expect(steps[steps.length - 1]).toBe(3);
  });
  it("shows the items of a running order as blocks", () => {
    const order = { artwork: { kind: "order", items: [{ frames: 10 }, { frames: 20 }] } };
    expect(laneOf(placed(order, { after: "loop" }), film, 24, 45).blocks).toEqual([
      { frame: 0, item: 0 },
      { frame: 10, item: 1 },
      { frame: 30, item: 0 },
      { frame: 40, item: 1 },
    ]);
  });
  it("keeps its ends in order while they are dragged, and within the plate", () => {
    expect(spanDragged(placed(), "first", 12, 60)).toEqual([12, 59]);
    expect(spanDragged(placed({ span: [12, 40] }), "first", 50, 60)).toEqual([40, 40]);
    expect(spanDragged(placed({ span: [12, 40] }), "last", 99, 60)).toEqual([12, 59]);
    expect(spanDragged(placed({ span: [12, 59] }), "first", -5, 60)).toBeNull();
  });
});
