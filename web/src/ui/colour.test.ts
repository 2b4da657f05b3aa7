import { describe, expect, it } from "vitest";
import { colourQuery, type MediaFacts } from "../api/client";
import { chosenPart, colourParts, withPart } from "./colour";

const film = { transfer: "bt709", primaries: "bt709", matrix: "bt601", full_range: false, told: ["matrix", "transfer"] } as unknown as MediaFacts;

describe("the colour of a file", () => {
  it("has a matrix and a range only where there are planes for them", () => {
    expect(colourParts(film).map((p) => p.key)).toEqual(["transfer", "primaries", "matrix", "full_range"]);
    expect(colourParts({ ...film, matrix: "rgb" }).map((p) => p.key)).toEqual(["transfer", "primaries"]);
    expect(colourParts(film).map((p) => p.told)).toEqual([true, false, true, false]);
  });

  it("is said part by part, and taken back part by part", () => {
    const full = withPart(null, "full_range", "full");
    expect(full).toEqual({ full_range: true });
    const both = withPart(full, "transfer", "pq");
    expect(both).toEqual({ full_range: true, transfer: "pq" });
    expect(chosenPart(both, "full_range")).toBe("full");
    expect(chosenPart(withPart(both, "full_range", "limited"), "full_range")).toBe("limited");
    expect(withPart(withPart(both, "transfer", null), "full_range", null)).toBeNull();
  });

  it("is part of a picture's address when it was said", () => {
    expect(colourQuery(null)).toBe("");
    expect(decodeURIComponent(colourQuery({ transfer: "hlg" }))).toBe('?colour={"transfer":"hlg"}');
  });
});
