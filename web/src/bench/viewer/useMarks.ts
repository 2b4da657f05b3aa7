/** Single points of the surface at a frame: set by hand, or found by the take; and how a change becomes an edit. */
import { useMemo } from "react";
import { useShallow } from "zustand/react/shallow";
import type { Edit, Surface } from "../../api/client";
import { useTakePoints } from "../../api/queries";
import { useWork } from "../context";
import { pair, type PlatePoint } from "../model/geometry";
import { type Mark, markAt, type TrackPoint, withKey } from "../model/marks";
import { holdNudge } from "../pendingNudge";
import { useBench } from "../state";
import { setDraft, useDrafts } from "./useDraft";

export function setMarks(surface: Surface, points: TrackPoint[], follow = surface.follow): Edit {
  return { kind: "set_points", surface: surface.id, points, follow } as Edit;
}

export type Marks = {
  marks: Mark[];
  move: (id: string, to: PlatePoint) => void;
  /** The same by keys: shown at once, sent with those that follow within a second. */
  nudge: (id: string, to: PlatePoint) => void;
  resize: (id: string, what: "half_size_px" | "search_px", size: [number, number]) => void;
  change: (id: string, settings: Partial<TrackPoint>) => void;
  remove: (id: string) => void;
};

export function useMarks(): Marks {
  const { surface, take, edit, followedFrames } = useWork();
  const frame = useBench((s) => s.frame);
  const drafts = useDrafts(useShallow((s) => Object.fromEntries(Object.entries(s.shapes).filter(([id]) => id.startsWith("mark:")))));
  const found = useTakePoints(take && surface?.points.length ? take.id : null, followedFrames?.size ?? 0, take?.running ?? false);

  return useMemo(() => {
    const points = surface?.points ?? [];
    const here = found?.[frame];
    const write = (id: string, how: (p: TrackPoint) => TrackPoint) => {
      return surface
        ? edit(
            setMarks(
              surface,
              points.map((p) => (p.id === id ? how(p) : p)),
            ),
          )
        : Promise.resolve(false);
    };
    const marks = points.map((p) => {
      const mark = markAt(p, frame, here?.[p.id]);
      const at = drafts[`mark:${p.id}`]?.[0];
      return at ? { ...mark, at } : mark;
    });
    const move = (id: string, to: PlatePoint) => {
      const own = [to];
      setDraft(`mark:${id}`, own);
      const done = () => useDrafts.getState().shapes[`mark:${id}`] === own && setDraft(`mark:${id}`, null);
      void write(id, (p) => withKey(p, frame, { at: pair(to) })).then(done);
    };
    return {
      marks,
      move,
      nudge: (id, to) => {
        setDraft(`mark:${id}`, [to]);
        holdNudge(`${frame} mark:${id}`, () => move(id, to));
      },
      resize: (id, what, size) => {
        const mark = marks.find((m) => m.id === id);
        // From its first frame on it is the point's own size; later it is a key's.
        void write(id, (p) => (frame <= (p.keys[0]?.frame ?? 0) || !mark ? { ...p, [what]: size } : withKey(p, frame, { at: pair(mark.at), [what]: size })));
      },
      change: (id, settings) => void write(id, (p) => ({ ...p, ...settings })),
      remove: (id) =>
        surface &&
        void edit(
          setMarks(
            surface,
            points.filter((p) => p.id !== id),
            points.length > 1 ? surface.follow : "region",
          ),
        ),
    };
  }, [drafts, edit, found, frame, surface]);
}
