/** The shapes of a frame as they lie in the picture, and how a change of one becomes an edit. */
import { useMemo } from "react";
import type { Edit, Surface } from "../../api/client";
import { useWork } from "../context";
import { apply, at, type Homography, invert, pair, type PlatePoint } from "../model/geometry";
import { likewise } from "../model/polygons";
import { cornersAt, homographyAt, outlineAt } from "../model/shot";
import { useBench } from "../state";
import { setDraft, useDrafts } from "./useDraft";

export type ShapeKind = "include" | "exclude" | "occluder";
export type Shape = { id: string; kind: ShapeKind; name: string; points: PlatePoint[]; editable: boolean };

export type Shapes = {
  corners: PlatePoint[] | null;
  sigmas: readonly number[] | null;
  shapes: Shape[];
  /** Send the points of a shape, given in this frame, as an edit. */
  commit: (id: string, points: PlatePoint[]) => void;
  remove: (id: string) => void;
};

function mapped(points: readonly PlatePoint[], h: Homography | null): PlatePoint[] {
  return h ? points.map((p) => apply(h, p)) : [...points];
}

function regionEdit(surface: Surface, kind: "include" | "exclude", change: (list: [number, number][][]) => [number, number][][]): Edit {
  const region = { ...surface.region, [kind]: change(surface.region[kind] as [number, number][][]) };
  return { kind: "set_region", surface: surface.id, region } as Edit;
}

export function useShapes(): Shapes {
  const { document, surface, frames, edit } = useWork();
  const frame = useBench((s) => s.frame);
  const step = useBench((s) => s.step);
  const drafts = useDrafts((s) => s.shapes);

  return useMemo(() => {
    const outlining = step === "outline";
    const h = surface ? homographyAt(surface, frames, frame) : null;
    const shapes: Shape[] = [];
    for (const kind of ["include", "exclude"] as const) {
      surface?.region[kind].forEach((polygon, i) => {
        if (h) shapes.push({ id: `${kind}:${i}`, kind, name: kind === "include" ? `followed ${i + 1}` : `cut-out ${i + 1}`, points: mapped(polygon.map(at), h), editable: outlining });
      });
    }
    for (const occluder of document.occluders) {
      const points = outlineAt(occluder, frame);
      if (points) shapes.push({ id: `occluder:${occluder.id}`, kind: "occluder", name: occluder.name, points, editable: outlining });
    }
    const corners = surface ? cornersAt(surface, frames, frame) : null;

    const commit = (id: string, points: PlatePoint[]) => {
      setDraft(id, points);
      const done = () => setDraft(id, null);
      if (id === "corners" && surface) {
        if (frame === surface.reference_frame) {
          void edit({ kind: "set_corners", surface: surface.id, corners: points.map((p) => pair(p)) } as Edit).then(done);
        } else if (corners) {
          // Away from the reference frame a moved corner is a correction of the take.
          const edits = points.flatMap((p, corner): Edit[] => {
            const was = corners[corner];
            if (!was || (Math.abs(p.x - was.x) < 1e-6 && Math.abs(p.y - was.y) < 1e-6)) return [];
            const raw = h && surface.corners ? apply(h, at(surface.corners[corner] ?? [0, 0])) : was;
            const round = (v: number) => Math.round(v * 1000) / 1000;
            return [{ kind: "correct_corner", surface: surface.id, correction: { frame, corner, dx_px: round(p.x - raw.x), dy_px: round(p.y - raw.y) } }];
          });
          if (edits.length) void edit(...edits).then(done);
          else done();
        }
        return;
      }
      const [kind = "", name = ""] = id.split(":");
      if (kind === "occluder") {
        const occluder = document.occluders.find((o) => o.id === name);
        if (!occluder) return;
        // A new or removed point counts for the whole shot: every key gets it.
        const before = outlineAt(occluder, frame) ?? points;
        const others = occluder.keys.filter((k) => k.frame !== frame).map((k) => ({ ...k, points: likewise(before, points, k.points.map(at)).map((p) => pair(p, 1)) }));
        const keys = [...others, { frame, points: points.map((p) => pair(p, 1)) }].sort((a, b) => a.frame - b.frame);
        void edit({ kind: "set_occluder_keys", occluder: name, keys } as Edit).then(done);
      } else if (surface && (kind === "include" || kind === "exclude")) {
        const back = h ? invert(h) : null;
        const index = Number(name);
        void edit(regionEdit(surface, kind, (list) => list.map((old, i) => (i === index ? mapped(points, back).map((p) => pair(p, 1)) : old)))).then(done);
      }
    };
    const remove = (id: string) => {
      const [kind = "", name = ""] = id.split(":");
      if (kind === "occluder") void edit({ kind: "remove", target: name });
      else if (surface && (kind === "include" || kind === "exclude")) {
        void edit(regionEdit(surface, kind, (list) => list.filter((_, i) => i !== Number(name))));
      }
    };
    return {
      corners: drafts["corners"] ?? corners,
      sigmas: frames?.get(frame)?.sigma_px ?? null,
      shapes: shapes.map((s) => ({ ...s, points: drafts[s.id] ?? s.points })),
      commit,
      remove,
    };
  }, [document, drafts, edit, frame, frames, step, surface]);
}
