import { describe, expect, it } from "vitest";
import { freshName } from "./names";

describe("names", () => {
  it("are numbered on, past those that are taken", () => {
    expect(freshName("Outline", [])).toBe("Outline 1");
    expect(freshName("Outline", ["Outline 1"])).toBe("Outline 2");
    expect(freshName("Outline", ["Arm", "Outline 3"])).toBe("Outline 4");
    expect(freshName("p", ["p1", "p2"], "")).toBe("p3");
  });
});
