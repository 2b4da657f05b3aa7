import { expect, it } from "vitest";
import type { KeyPart, MattePart } from "../../api/types";
import { added, chosenMatte, movedTo, newMatte, partText, withPart, withSample } from "./matte";

const key = { kind: "key", samples: [] } as unknown as KeyPart;

it("begins with a free id and a name", () => {
  expect(newMatte("s", [])).toMatchObject({ id: "matte", name: "In front", surface: "s", parts: [] });
  expect(newMatte("s", [{ id: "matte" }])).toMatchObject({ id: "matte-2", name: "In front 2" });
});

it("works on the chosen matte, else on the surface's, else on any", () => {
  const all = [
    { id: "a", surface: null },
    { id: "b", surface: "s" },
  ];
  expect(chosenMatte(all, "a", "s")?.id).toBe("a");
  expect(chosenMatte(all, null, "s")?.id).toBe("b");
  expect(chosenMatte(all, "gone", "t")?.id).toBe("a");
  expect(chosenMatte([], null, "s")).toBeNull();
});

it("puts parts in, out and elsewhere in the list", () => {
  const matte = added(added(newMatte(null, []), key), { kind: "region", surface: "s" } as MattePart);
  expect(matte.parts.map((p) => p.kind)).toEqual(["key", "region"]);
  expect(movedTo(matte, 0, 1).parts.map((p) => p.kind)).toEqual(["region", "key"]);
  expect(movedTo(matte, 1, -5).parts.map((p) => p.kind)).toEqual(["region", "key"]);
  expect(withPart(matte, 0, null).parts.map((p) => p.kind)).toEqual(["region"]);
});

it("keeps samples with their frames, and says so", () => {
  const two = withSample(
    withSample(key, 12, [
      [1, 2],
      [3, 4],
      [5, 6],
    ]),
    40,
    [
      [1, 2],
      [3, 4],
      [5, 6],
    ],
  );
  expect(two.samples[0]).toEqual({
    frame: 12,
    polygon: [
      [1, 2],
      [3, 4],
      [5, 6],
    ],
  });
  expect(partText(two, 1001)).toBe("2 samples, frame 1013, 1041");
});
