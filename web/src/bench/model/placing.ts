/** Placements: what a new one begins with, their order, and how artwork runs against the plate. Pure. */
import type { Artwork, LayoutKey, MediaView, Placement, Timing } from "../../api/types";
import { KIND_NAMES } from "../../shelf/artwork";
import { between } from "./between";
import { freshId } from "./shot";

type Named = Pick<Placement, "id">;

/** A placement as it begins; what is left out has its default in the document. */
export function newPlacement(surface: string | null, artwork: Artwork, taken: readonly Named[]): Placement {
  return {
    id: freshId(
      "art",
      taken.map((p) => p.id),
    ),
    surface,
    artwork,
  } as Placement;
}

/** A placement with its neighbour of the same surface exchanged, far to near; null when there is none that way. */
export function exchanged(placements: readonly Placement[], id: string, step: 1 | -1): string[] | null {
  const surface = placements.find((p) => p.id === id)?.surface ?? null;
  const own = placements.filter((p) => (p.surface ?? null) === surface).map((p) => p.id);
  const to = own[own.indexOf(id) + step];
  if (to === undefined) return null;
  return placements.map((p) => (p.id === id ? to : p.id === to ? id : p.id));
}

/** What it is called where it has no name of its own. */
export function placementName(p: Placement, media: Record<string, MediaView>): string {
  if (p.name) return p.name;
  const a = p.artwork;
  if (a.kind === "file") return (a.media ? media[a.media]?.name : a.path) ?? "a file that is not here";
  return a.kind === "text" ? (a.text.split("\n")[0] ?? "Text") : KIND_NAMES[a.kind];
}

/** The moment of the artwork at a frame of the plate. The same rule as the core's. */
export function positionAt(t: Timing, own: number | null, plate: number, frame: number): number {
  const keyed = between(t.retime, frame);
  if (keyed) return keyed.a.at + keyed.t * (keyed.b.at - keyed.a.at);
  const speed = t.rate === "own" && own && plate ? own / plate : 1;
  return (t.first ?? 0) + t.offset + frame * speed;
}

/** The first frame of the plate at which all of the artwork has been seen; null when it lasts to the end. */
export function endsAt(t: Timing, count: number, own: number | null, plate: number, frames: number): number | null {
  const last = Math.min(t.last ?? count - 1, count - 1);
  for (let n = 0; n < frames; n++) if (positionAt(t, own, plate, n) + 1e-6 >= last + 1) return n;
  return null;
}

/** Artwork run once over all frames of the plate, by two keys. */
export function stretchedOver(t: Timing, count: number, frames: number): Timing {
  const [first, last] = [t.first ?? 0, t.last ?? count - 1];
  return {
    ...t,
    retime: [
      { frame: 0, at: first, ease: "linear" },
      { frame: Math.max(1, frames - 1), at: last, ease: "linear" },
    ],
  };
}

export const PLAIN_LAYOUT: LayoutKey = { frame: 0, move: [0, 0], scale: [1, 1], turn_deg: 0, crop: [0, 0, 0, 0], ease: "linear" };

/** How artwork lies at a frame: between its keys, held before the first and after the last. */
export function layoutAt(keys: readonly LayoutKey[], frame: number): LayoutKey {
  const found = between(keys, frame);
  if (!found) return PLAIN_LAYOUT;
  const { a, b, t } = found;
  const mix = <T extends number[]>(p: T, q: T) => p.map((v, i) => v + t * ((q[i] ?? v) - v)) as T;
  return {
    ...a,
    frame,
    move: mix(a.move, b.move),
    scale: mix(a.scale, b.scale),
    crop: mix(a.crop, b.crop),
    turn_deg: a.turn_deg + t * (b.turn_deg - a.turn_deg),
  };
}

/** Keys after artwork was laid otherwise at a frame: without keys over time one key holds all along. */
export function layoutSet(keys: readonly LayoutKey[], frame: number, change: Partial<LayoutKey>): LayoutKey[] {
  const now = { ...layoutAt(keys, frame), ...change };
  if (keys.length <= 1) return [{ ...now, frame: keys[0]?.frame ?? 0 }];
  return [...keys.filter((k) => k.frame !== frame), { ...now, frame }].sort((a, b) => a.frame - b.frame);
}

/** A key set at a frame, where it lies as it does there already; or that key taken away. */
export function keyToggled(keys: readonly LayoutKey[], frame: number): LayoutKey[] {
  if (keys.some((k) => k.frame === frame)) return keys.length > 1 ? keys.filter((k) => k.frame !== frame) : [...keys];
  return [...keys, { ...layoutAt(keys, frame), frame }].sort((a, b) => a.frame - b.frame);
}
