/** The shapes of a frame as they lie in the picture, and how a change of one becomes an edit. */
import { useMemo } from "react";
import type { Edit, Matte, MattePart, Occluder, Surface } from "../../api/client";
import { useWork } from "../context";
import { apply, at, pair, type PlatePoint } from "../model/geometry";
import { changed, type Key, keysOf, plainKeys, pointsAt, type PoseAt, type RegionShape, regionShapes, withoutKey } from "../model/keyed";
import { withPart } from "../model/matte";
import { cornersAt, homographyAt } from "../model/shot";
import { smoothOutline } from "../model/smooth";
import { holdNudge } from "../pendingNudge";
import { useBench } from "../state";
import { matteEdit, useMasking } from "../steps/mask/useMasking";
import { setDraft, useDrafts } from "./useDraft";

export type ShapeKind = "include" | "exclude" | "occluder" | "matte" | "sample";
export type Shape = {
  id: string;
  kind: ShapeKind;
  name: string;
  points: PlatePoint[];
  /** The line as it is drawn: the points, or a smooth curve through them. */
  line: PlatePoint[];
  smooth: boolean;
  editable: boolean;
  /** Frames at which it has a key. */
  keys: number[];
};

export type ShapeSettings = {
  outline?: "straight" | "smooth";
  rides?: string | null;
  role?: "include" | "exclude";
  feather_px?: number;
  shutter?: number | null;
};

export type Shapes = {
  corners: PlatePoint[] | null;
  sigmas: readonly number[] | null;
  shapes: Shape[];
  /** What the points of a shape, given in this frame, change. */
  editsOf: (id: string, points: PlatePoint[]) => Edit[];
  /** Send them. */
  commit: (id: string, points: PlatePoint[]) => void;
  /** The same for a move by keys: it shows at once, and is sent with those that follow within a second. */
  nudge: (id: string, points: PlatePoint[]) => void;
  remove: (id: string) => void;
  removeKey: (id: string) => void;
  setEase: (id: string, ease: Key["ease"]) => void;
  change: (id: string, settings: ShapeSettings) => void;
};

const NEVER: PoseAt = () => null;

function drawn(points: PlatePoint[], smooth: boolean): PlatePoint[] {
  return smooth ? smoothOutline(points, 10) : points;
}

/** The region with its shapes in one form. */
export function setShapes(surface: Surface, shapes: RegionShape[]): Edit {
  return { kind: "set_region", surface: surface.id, region: { include: [], exclude: [], shapes } } as unknown as Edit;
}

export function occluderEdit(o: Occluder, change: ShapeSettings & { span?: [number, number] }): Edit {
  const now = { feather_px: o.feather_px, span: o.span ?? null, outline: o.outline, rides: o.rides ?? null, shutter: o.shutter ?? null };
  return { kind: "set_occluder", occluder: o.id, ...now, ...change } as Edit;
}

const NOTHING = { parts: [] as Matte["parts"] };

/** A matte with a drawn part of it changed: a shape's keys, or a sample of the screen. */
function rewriteMatte(matte: Matte, kind: string, name: string, how: (keys: Key[], rides: string | null) => Key[]): Edit | null {
  const [i = 0, k = 0] = name.split(".").map(Number);
  const part = matte.parts[i];
  if (kind === "matte" && part?.kind === "shape") {
    const keys = plainKeys(how(keysOf(part), part.rides)).map(({ frame, points }) => ({ frame, points }));
    const [one] = keys;
    // A point put in or taken out leaves the others their softness.
    const soft_points =
      part.soft_points && one && part.soft_points.length !== one.points.length
        ? one.points.map((_, n) => part.soft_points?.[n] ?? part.soft_points?.at(-1) ?? 0)
        : part.soft_points;
    return matteEdit(withPart(matte, i, { ...part, keys, soft_points } as MattePart));
  }
  const sample = part?.kind === "key" ? part.samples[k] : undefined;
  if (part?.kind !== "key" || !sample) return null;
  const [now] = plainKeys(how([{ frame: sample.frame, points: sample.polygon.map((p) => at(p)), ease: "linear" }], null));
  return matteEdit(
    withPart(matte, i, { ...part, samples: part.samples.map((s, n) => (n === k ? { ...s, polygon: now?.points ?? s.polygon } : s)) } as MattePart),
  );
}

/** A matte without a shape, or a sample; the last sample of a key goes with the key. */
function withoutDrawn(matte: Matte, kind: string, name: string): Edit {
  const [i = 0, k = 0] = name.split(".").map(Number);
  const part = matte.parts[i];
  if (kind === "sample" && part?.kind === "key" && part.samples.length > 1)
    return matteEdit(withPart(matte, i, { ...part, samples: part.samples.filter((_, n) => n !== k) }));
  return matteEdit(withPart(matte, i, null));
}

const NO_DRAFTS: Record<string, PlatePoint[]> = {};

/** `live`: with what is just being dragged; panels that do not show it stay out of its way. */
export function useShapes(live = true): Shapes {
  const { document, surface, frames, followedFrames, framesOf, edit } = useWork();
  const frame = useBench((s) => s.frame);
  const step = useBench((s) => s.step);
  const scope = useBench((s) => s.scope);
  const holdRaw = useBench((s) => s.holdRaw);
  const offered = useBench((s) => s.offered);
  const { matte } = useMasking();
  const drafts = useDrafts((s) => (live ? s.shapes : NO_DRAFTS));

  const kept = useMemo((): Shapes => {
    const outlining = step === "outline";
    const h = surface ? homographyAt(surface, frames, frame) : null;
    const region = surface ? regionShapes(surface) : [];
    const planePose: PoseAt = (f) => (surface ? homographyAt(surface, frames, f) : null);
    const masked = (step === "mask" ? matte : null) ?? NOTHING;
    const poseOf = (o: Pick<Occluder, "rides">): PoseAt => {
      const ridden = document.surfaces.find((s) => s.id === o.rides);
      return ridden ? (f) => homographyAt(ridden, framesOf(ridden), f) : NEVER;
    };
    const shapes: Shape[] = [];
    region.forEach((shape, i) => {
      const id = `region:${i}`;
      const rides = shape.rides === "plane";
      if (rides && !h) return;
      const points = pointsAt(frame, keysOf(shape), rides ? planePose : NEVER);
      const nth = region.slice(0, i + 1).filter((s) => s.role === shape.role).length;
      const smooth = shape.outline === "smooth";
      shapes.push({
        id,
        kind: shape.role,
        name: shape.role === "include" ? `Followed ${nth}` : `Cut-out ${nth}`,
        points,
        line: drawn(points, smooth),
        smooth,
        editable: outlining,
        keys: shape.keys.map((k) => k.frame),
      });
    });
    for (const o of document.occluders) {
      if (o.span && (frame < o.span[0] || frame > o.span[1])) continue;
      const id = `occluder:${o.id}`;
      const points = pointsAt(frame, keysOf(o), poseOf(o));
      const smooth = o.outline === "smooth";
      shapes.push({ id, kind: "occluder", name: o.name, points, line: drawn(points, smooth), smooth, editable: outlining, keys: o.keys.map((k) => k.frame) });
    }
    masked.parts.forEach((part, i) => {
      if (part.kind === "shape") {
        const smooth = part.outline === "smooth";
        const points = pointsAt(frame, keysOf(part), poseOf(part));
        shapes.push({
          id: `matte:${i}`,
          kind: "matte",
          name: part.name ?? "Shape of the matte",
          points,
          line: drawn(points, smooth),
          smooth,
          editable: true,
          keys: part.keys.map((k) => k.frame),
        });
      }
      if (part.kind !== "key") return;
      part.samples.forEach((s, k) => {
        if (s.frame !== frame) return;
        const points = s.polygon.map((p) => at(p));
        shapes.push({
          id: `sample:${i}.${k}`,
          kind: "sample",
          name: "Sample of the screen",
          points,
          line: points,
          smooth: false,
          editable: true,
          keys: [s.frame],
        });
      });
    });
    document.match
      .find((m) => m.surface === surface?.id)
      ?.spots.forEach((s, i) => {
        if (s.frame !== frame) return;
        const points = s.polygon.map((p) => at(p));
        shapes.push({
          id: `spot:${i}`,
          kind: "sample",
          name: "Spot whose colour is known",
          points,
          line: points,
          smooth: false,
          editable: false,
          keys: [s.frame],
        });
      });
    if (surface && offered && frame >= offered.span[0] && frame <= offered.span[1]) {
      const points = pointsAt(frame, offered.keys, planePose);
      shapes.push({ id: "offered", kind: offered.kind, name: "Offered", points, line: points, smooth: false, editable: false, keys: [] });
    }
    const corners = surface ? (holdRaw ? cornersAt({ ...surface, corrections: [] }, followedFrames, frame) : cornersAt(surface, frames, frame)) : null;

    const cornerEdits = (points: PlatePoint[]): Edit[] => {
      if (!surface) return [];
      if (frame === surface.reference_frame) return [{ kind: "set_corners", surface: surface.id, corners: points.map((p) => pair(p)) } as Edit];
      if (!corners) return [];
      // Away from the reference frame a moved corner is a correction of the take.
      return points.flatMap((p, corner): Edit[] => {
        const was = corners[corner];
        if (!was || (Math.abs(p.x - was.x) < 1e-6 && Math.abs(p.y - was.y) < 1e-6)) return [];
        const raw = h && surface.corners ? apply(h, at(surface.corners[corner] ?? [0, 0])) : was;
        const round = (v: number) => Math.round(v * 1000) / 1000;
        return [{ kind: "nudge_corner", surface: surface.id, correction: { frame, corner, dx_px: round(p.x - raw.x), dy_px: round(p.y - raw.y) } }];
      });
    };
    /** Change the keys of a shape, whichever kind it is. */
    const rewrite = (id: string, how: (keys: Key[], pose: PoseAt) => Key[]): Edit | null => {
      const [kind = "", name = ""] = id.split(":");
      if (kind === "occluder") {
        const o = document.occluders.find((x) => x.id === name);
        if (!o) return null;
        const keys = plainKeys(how(keysOf(o), poseOf(o))).map(({ frame: f, points }) => ({ frame: f, points }));
        return { kind: "set_occluder_keys", occluder: name, keys } as Edit;
      }
      if (kind === "matte" || kind === "sample")
        return matte && rewriteMatte(matte, kind, name, (keys, ridden) => how(keys, ridden === null ? NEVER : poseOf({ rides: ridden })));
      const shape = region[Number(name)];
      if (!surface || !shape) return null;
      const keys = plainKeys(how(keysOf(shape), shape.rides === "plane" ? planePose : NEVER));
      return setShapes(
        surface,
        region.map((s) => (s === shape ? { ...s, keys } : s)),
      );
    };
    const editsOf = (id: string, points: PlatePoint[]): Edit[] => {
      if (id === "corners") return cornerEdits(points);
      const one = rewrite(id, (keys, pose) => changed(keys, frame, points, scope, pose));
      return one ? [one] : [];
    };
    const send = (one: Edit | null) => {
      if (one) void edit(one);
    };
    const commit = (id: string, points: PlatePoint[]) => {
      setDraft(id, points);
      // A later move may be on its way already: only one's own draft is taken back.
      const done = () => useDrafts.getState().shapes[id] === points && setDraft(id, null);
      const edits = editsOf(id, points);
      if (edits.length) void edit(...edits).then(done);
      else done();
    };
    return {
      corners,
      sigmas: frames?.get(frame)?.sigma_px ?? null,
      shapes,
      editsOf,
      commit,
      nudge: (id, points) => {
        setDraft(id, points);
        holdNudge(`${frame} ${id}`, () => commit(id, points));
      },
      remove: (id) => {
        const [kind = "", name = ""] = id.split(":");
        if (kind === "occluder") send({ kind: "remove", target: name });
        else if (kind === "matte" || kind === "sample") send(matte && withoutDrawn(matte, kind, name));
        else if (surface)
          send(
            setShapes(
              surface,
              region.filter((_, i) => i !== Number(name)),
            ),
          );
      },
      removeKey: (id) => send(rewrite(id, (keys, pose) => withoutKey(keys, frame, pose))),
      setEase: (id, ease) => send(rewrite(id, (keys) => keys.map((k) => (k.frame === frame ? { ...k, ease } : k)))),
      change: (id, settings) => {
        const [kind = "", name = ""] = id.split(":");
        if (kind === "occluder") {
          const o = document.occluders.find((x) => x.id === name);
          if (o) send(occluderEdit(o, settings));
        } else if (surface) {
          send(
            setShapes(
              surface,
              region.map((s, i) => (i === Number(name) ? ({ ...s, ...settings } as RegionShape) : s)),
            ),
          );
        }
      },
    };
  }, [document, edit, followedFrames, frame, frames, framesOf, holdRaw, matte, offered, scope, step, surface]);

  return useMemo(
    () => ({
      ...kept,
      corners: drafts["corners"] ?? kept.corners,
      // Shapes that nobody drags stay the same objects.
      shapes: kept.shapes.map((s) => {
        const points = drafts[s.id];
        return points ? { ...s, points, line: drawn(points, s.smooth) } : s;
      }),
    }),
    [drafts, kept],
  );
}
