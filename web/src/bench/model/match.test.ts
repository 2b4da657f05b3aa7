import { describe, expect, it } from "vitest";
import type { Proposal } from "../../api/types";
import { newMatch, sparkline, strengthOf, taken, withPart } from "./match";

const proposal = (part: string, value: object | null, sure: boolean) => ({ part, value, sure }) as unknown as Proposal;

describe("a match", () => {
  it("takes over what is asked, and leaves the rest as it was", () => {
    const before = withPart(newMatch("s"), "veil", { light: [0.1, 0.1, 0.1], strength: 1 });
    const found = [proposal("levels", { gain: [1, 1, 1] }, true), proposal("glow", { strength: 0.1 }, false), proposal("grain", null, true)];
    const sure = taken(before, found, (p) => p.sure);
    expect(sure.levels).toEqual({ gain: [1, 1, 1] });
    expect([sure.glow, sure.grain, sure.veil]).toEqual([undefined, undefined, before.veil]);
    expect(taken(before, found, () => true).glow).toEqual({ strength: 0.1 });
  });
  it("tells strengths, keyed ones by their first key", () => {
    expect([strengthOf({ strength: 0.4 }), strengthOf({ strength: [{ frame: 0, value: 0.2 }] }), strengthOf(null)]).toEqual([0.4, 0.2, null]);
  });
  it("draws figures as a line within its box", () => {
    expect(sparkline([1, 2, 3], 20, 10)).toBe("M0.0 9.0L10.0 5.0L20.0 1.0");
    expect(sparkline([1], 20, 10)).toBe("");
  });
});
