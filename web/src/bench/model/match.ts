/** What makes things sit: parts in the order people look at them, and taking them over. Pure. */
import type { Proposal, SurfaceMatch } from "../../api/types";

export type PartId =
  | "levels"
  | "light"
  | "shading"
  | "reflections"
  | "softness"
  | "movement"
  | "halo"
  | "fringe"
  | "vignette"
  | "grain"
  | "veil"
  | "shadow"
  | "glow"
  | "wrap"
  | "grade";
export const PART_NAMES: Record<PartId, string> = {
  levels: "Levels",
  light: "Light",
  shading: "Shading",
  reflections: "Reflections",
  softness: "Softness",
  movement: "Movement",
  halo: "Halo of sharpening",
  fringe: "Colour fringe",
  vignette: "Vignetting",
  grain: "Grain",
  veil: "Veil",
  shadow: "Shadow of what is in front",
  glow: "Glow of the screen",
  wrap: "Light around the edge",
  grade: "Grade",
};
/** Parts that nothing measures: they are added by hand. */
export const BY_HAND: readonly PartId[] = ["veil", "vignette", "wrap", "grade"];

export function isPart(name: string): name is PartId {
  return name in PART_NAMES;
}

/** A match as it begins. */
export function newMatch(surface: string): SurfaceMatch {
  return { surface, kind: "print", spots: [], on: true } as unknown as SurfaceMatch;
}

/** The match with proposals taken over. */
export function taken(match: SurfaceMatch, proposals: readonly Proposal[], which: (p: Proposal) => boolean): SurfaceMatch {
  const parts = proposals.filter((p) => p.value && which(p)).map((p) => [p.part, p.value] as const);
  return { ...match, on: true, ...Object.fromEntries(parts) } as SurfaceMatch;
}

/** The strength of a part at a frame; null for one that has none by itself. */
export function strengthOf(part: unknown): number | null {
  const s = (part as { strength?: unknown } | null)?.strength;
  return typeof s === "number" ? s : Array.isArray(s) ? ((s[0] as { value?: number } | undefined)?.value ?? 1) : null;
}

/** A match without one of its parts, or with another one. */
export function withPart(match: SurfaceMatch, part: PartId, value: unknown): SurfaceMatch {
  return { ...match, [part]: value } as SurfaceMatch;
}

/** A line through figures in a small box, as a path. */
export function sparkline(values: readonly number[], width: number, height: number): string {
  if (values.length < 2) return "";
  const [low, high] = [Math.min(...values), Math.max(...values)];
  const span = Math.max(high - low, 1e-6, 0.02 * Math.abs(high));
  return values
    .map((v, i) => `${i ? "L" : "M"}${((i / (values.length - 1)) * width).toFixed(1)} ${(height - 1 - ((v - low) / span) * (height - 2)).toFixed(1)}`)
    .join("");
}
