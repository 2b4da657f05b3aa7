import { describe, expect, it } from "vitest";
import type { Shot } from "../../api/types";
import { switchedOff } from "./switchedOff";

const document = {
  placements: [
    { id: "poster", on: true },
    { id: "sticker", on: true },
  ],
  mattes: [
    {
      id: "thumb",
      parts: [
        { kind: "key", on: true },
        { kind: "file", on: true },
      ],
    },
  ],
} as unknown as Shot;

describe("a part that is switched off", () => {
  it("is a placement by its id", () => {
    expect(switchedOff(document, "sticker")).toEqual({ kind: "set_placement", placement: { id: "sticker", on: false } });
  });
  it("is one part of a matte, by its number from 1", () => {
    expect(switchedOff(document, "thumb:2")).toEqual({
      kind: "set_matte",
      matte: {
        id: "thumb",
        parts: [
          { kind: "key", on: true },
          { kind: "file", on: false },
        ],
      },
    });
  });
  it("is nothing where there is no such part", () => {
    expect([switchedOff(document, "hand:1"), switchedOff(document, "thumb:3"), switchedOff(document, "thumb")]).toEqual([null, null, null]);
  });
});
