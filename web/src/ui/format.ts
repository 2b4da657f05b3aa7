/** Figures and facts as people read them; units always shown. */
import type { MediaView } from "../api/client";

export function rateText(rate: string | null | undefined): string {
  if (!rate) return "rate not said";
  const [n = 0, d = 1] = rate.split("/").map(Number);
  return d === 1 ? `${n} fps` : `${(n / d).toFixed(3)} fps`;
}

export function rateNumber(rate: string | null | undefined): number {
  const [n = 24, d = 1] = (rate ?? "24/1").split("/").map(Number);
  return n / d;
}

export function bytesText(bytes: number): string {
  if (bytes < 1e6) return `${Math.max(1, Math.round(bytes / 1e3))} kB`;
  return bytes < 1e9 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(2)} GB`;
}

export function rangesText(ranges: [number, number][], first: number): string {
  return ranges.map(([a, b]) => (a === b ? `${a + first}` : `${a + first}-${b + first}`)).join(", ");
}

export function mediaFactsText(media: MediaView): string {
  const f = media.facts;
  if (!f) return "being read";
  if (f.kind === "lut") return `a table, .${f.codec}`;
  const parts = [`${f.width} x ${f.height}`];
  if (f.kind !== "still") parts.push(`${f.frame_count} f`, rateText(f.rate));
  if (f.has_alpha) parts.push("with transparency");
  return parts.join(", ");
}

export function timeText(iso: string): string {
  return new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" }).format(new Date(iso));
}

/** How a take is called: its letter, and its name if it was given one. */
export function takeName(take: { label: string; name: string }): string {
  return take.name ? `${take.label} ${take.name}` : take.label;
}
