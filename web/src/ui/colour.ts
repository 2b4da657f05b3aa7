/** What code values mean, in words, and what can be said of it. */
import type { ColourChoice, MediaFacts } from "../api/client";

export const TRANSFERS: Record<NonNullable<ColourChoice["transfer"]>, string> = {
  srgb: "sRGB",
  bt709: "BT.709 camera",
  gamma22: "gamma 2.2",
  gamma24: "gamma 2.4",
  gamma28: "gamma 2.8",
  linear: "linear light",
  pq: "PQ",
  hlg: "HLG",
  log100: "log 100:1",
  log316: "log 316:1",
  acescct: "ACEScct",
};
export const PRIMARIES: Record<NonNullable<ColourChoice["primaries"]>, string> = {
  bt709: "BT.709",
  bt2020: "BT.2020",
  p3: "P3, D65",
  bt601: "BT.601",
  bt470bg: "BT.470 BG",
  oprgb: "opRGB",
  acescg: "ACEScg",
  aces: "ACES 2065-1",
};
export const MATRICES: Record<NonNullable<ColourChoice["matrix"]>, string> = { bt601: "BT.601", bt709: "BT.709", bt2020: "BT.2020" };
export const RANGES = { limited: "limited", full: "full" };

export type Part = { key: keyof ColourChoice; label: string; hint: string; names: Record<string, string>; file: string; told: boolean };

/** The parts of a file's colour that can be said anew, each with what the file has and whether it says so itself. */
export function colourParts(f: MediaFacts): Part[] {
  const told = (name: string) => f.told.includes(name);
  const parts: Part[] = [
    { key: "transfer", label: "Curve", hint: "How code values become light", names: TRANSFERS, file: f.transfer, told: told("transfer") },
    { key: "primaries", label: "Primaries", hint: "Which red, green and blue", names: PRIMARIES, file: f.primaries, told: told("primaries") },
  ];
  if (f.matrix && f.matrix !== "rgb") {
    parts.push({
      key: "matrix",
      label: "Matrix",
      hint: "How brightness and colour were made from red, green and blue",
      names: MATRICES,
      file: f.matrix,
      told: told("matrix"),
    });
    parts.push({
      key: "full_range",
      label: "Range",
      hint: "Limited: 16 is black and 235 white, of 8 bits",
      names: RANGES,
      file: f.full_range ? "full" : "limited",
      told: told("range"),
    });
  }
  return parts;
}

/** A choice with one part said anew; null takes that part back to the file's. */
export function withPart(choice: ColourChoice | null | undefined, key: keyof ColourChoice, value: string | null): ColourChoice | null {
  const said = { ...choice, [key]: key === "full_range" && value !== null ? value === "full" : value } as Record<string, unknown>;
  const left = Object.fromEntries(Object.entries(said).filter(([, v]) => v !== null && v !== undefined));
  return Object.keys(left).length ? (left as ColourChoice) : null;
}

/** What is chosen for a part, as a name of the list; null where the file's counts. */
export function chosenPart(choice: ColourChoice | null | undefined, key: keyof ColourChoice): string | null {
  const value = choice?.[key];
  if (value === null || value === undefined) return null;
  return typeof value === "boolean" ? (value ? "full" : "limited") : value;
}
