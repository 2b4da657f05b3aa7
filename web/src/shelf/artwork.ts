/** Kinds of artwork. Pure. */
import type { Artwork } from "../api/types";

export function fileArtwork(media: string): Artwork {
  return { kind: "file", media } as Artwork;
}

/** Media an artwork is read from. */
export function mediaOf(a: Artwork): string[] {
  if (a.kind === "file") return [a.media, a.matte?.media].filter((m): m is string => !!m);
  if (a.kind === "order") return a.items.flatMap((i) => mediaOf(i.artwork));
  return [];
}

export const KIND_NAMES: Record<Artwork["kind"], string> = {
  file: "File",
  colour: "Colour",
  chart: "Mark chart",
  text: "Text",
  order: "Running order",
  slot: "Empty slot",
};

/** Artwork of a kind as it begins; what is left out has its default in the document. */
export function madeArtwork(kind: "colour" | "chart" | "text"): Artwork {
  return (kind === "text" ? { kind, text: "Lantern Bay" } : { kind }) as Artwork;
}

/** Codes of a colour, 0-255, from what a colour field tells. */
export function rgbOf(hex: string): [number, number, number] {
  const n = parseInt(hex.replace("#", "").slice(0, 6), 16) || 0;
  return [n >> 16, (n >> 8) & 255, n & 255];
}

export function hexOf(rgb: readonly number[]): string {
  return `#${rgb.map((v) => Math.round(v).toString(16).padStart(2, "0")).join("")}`;
}
