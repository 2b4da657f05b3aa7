/** What the document and a take together say about one frame. Pure. */
import type { MediaView, Occluder, Shot, Surface, TakeFrame } from "../../api/types";
import { mediaOf } from "../../shelf/artwork";
import { apply, at, type Homography, IDENTITY, type PlatePoint } from "./geometry";

export type Frames = ReadonlyMap<number, TakeFrame>;

function ease(t: number): number {
  return t * t * (3 - 2 * t);
}

/** Offset of a corner at a frame from its corrections; the same rule as the core's. */
export function correctionAt(surface: Surface, corner: number, frame: number): PlatePoint {
  const keys = surface.corrections.filter((c) => c.corner === corner).sort((a, b) => a.frame - b.frame);
  const before = keys.filter((c) => c.frame <= frame).at(-1);
  const after = keys.find((c) => c.frame > frame);
  const faded = (c: { dx_px: number; dy_px: number }, gap: number): PlatePoint => {
    const reach = surface.reach_frames;
    const w = gap === 0 ? 1 : reach > 0 ? ease(Math.max(0, 1 - gap / reach)) : 0;
    return { x: w * c.dx_px, y: w * c.dy_px };
  };
  if (before && (before.frame === frame || !after)) return faded(before, frame - before.frame);
  if (before && after) {
    const t = ease((frame - before.frame) / (after.frame - before.frame));
    return { x: (1 - t) * before.dx_px + t * after.dx_px, y: (1 - t) * before.dy_px + t * after.dy_px };
  }
  return after ? faded(after, after.frame - frame) : { x: 0, y: 0 };
}

/** Homography reference -> frame: the take's, the identity at the reference frame, null when unknown or lost. */
export function homographyAt(surface: Surface, frames: Frames | undefined, frame: number): Homography | null {
  const found = frames?.get(frame);
  if (found) return found.homography ?? null;
  return frame === surface.reference_frame ? IDENTITY : null;
}

/** Corners at a frame with their corrections, or null. */
export function cornersAt(surface: Surface, frames: Frames | undefined, frame: number): PlatePoint[] | null {
  const h = homographyAt(surface, frames, frame);
  if (!surface.corners || !h) return null;
  return surface.corners.map((c, i) => {
    const p = apply(h, at(c));
    const d = correctionAt(surface, i, frame);
    return { x: p.x + d.x, y: p.y + d.y };
  });
}

/** Whether the document says what the lens does: by terms, or by lines that should be straight. */
export function knowsLens(shot: { lens: Shot["lens"] }): boolean {
  const { lens } = shot;
  if (lens.mode === "given") return [lens.k1, lens.k2, lens.k3, lens.p1, lens.p2].some((v) => v !== 0);
  return lens.mode === "estimate" && lens.lines.length > 0;
}

/** Everything from the camera to the far end. */
export function depthOrder(shot: { surfaces: Surface[]; occluders: Occluder[] }): { id: string; name: string; kind: "surface" | "occluder"; depth: number }[] {
  const all = [
    ...shot.occluders.map((o) => ({ id: o.id, name: o.name, kind: "occluder" as const, depth: o.depth })),
    ...shot.surfaces.map((s) => ({ id: s.id, name: s.name, kind: "surface" as const, depth: s.depth })),
  ];
  return all.sort((a, b) => a.depth - b.depth);
}

/** A fresh id from a name, not used yet. */
export function freshId(base: string, taken: readonly string[]): string {
  let id = base;
  for (let n = 2; taken.includes(id); n++) id = `${base}-${n}`;
  return id;
}

/** Whether all that a frame of result is made from has been read: a picture that is asked for before that is refused. */
export function canCompose(shot: { document: Shot; media: Record<string, MediaView> }, frame: number): boolean {
  const read = (hash: string | null | undefined, at: number) => {
    const m = hash ? shot.media[hash] : undefined;
    return !!m?.facts && (m.state === "ready" || m.proxies > Math.min(at, m.facts.frame_count - 1));
  };
  return read(shot.document.plate.media, frame) && shot.document.placements.every((p) => !p.on || mediaOf(p.artwork).every((m) => read(m, Math.max(frame, 0))));
}
