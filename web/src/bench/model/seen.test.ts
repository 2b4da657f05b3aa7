import { describe, expect, it } from "vitest";
import type { TakeFrame, TakeView } from "../../api/types";
import { cameraLines, softnessLines } from "./seen";

const camera = { width: 1920, height: 1080, lens: null, readout: 0, shutter: null, tone: [0, 0], bow: [0, 0], focal: null } as unknown as NonNullable<
  TakeView["camera"]
>;

describe("what following found", () => {
  it("says nothing of what was not found", () => {
    expect(cameraLines(null)).toEqual([]);
    expect(cameraLines(camera)).toEqual([]);
    expect(softnessLines(undefined)).toEqual([]);
  });

  it("speaks of lens, rows, shutter and bow in the trade's words", () => {
    const found = { ...camera, lens: { k1: -0.031, k2: 0.004 }, readout: -0.62, shutter: 0.5, bow: [0.02, 0] } as unknown as typeof camera;
    expect(cameraLines(found)).toEqual([
      ["Lens", "k1 -0.0310, k2 0.0040"],
      ["Rows", "read over 62 % of a frame, from below"],
      ["Shutter", "180 degrees"],
      ["Bow", "2.0 % along, 0.0 % across"],
    ]);
  });

  it("tells softer from sharper", () => {
    const seen = (defocus_px2: number) => softnessLines({ defocus_px2, smear_px: 3.1, noise: 0.006 } as unknown as TakeFrame);
    expect(seen(0.36)).toEqual([
      ["Focus", "0.60 px softer than the reference"],
      ["Smear", "3.1 px"],
      ["Noise", "1.5 of 255"],
    ]);
    expect(seen(-0.36)[0]).toEqual(["Focus", "0.60 px sharper than the reference"]);
    expect(seen(0.01).length).toBe(2);
  });
});
