/** Sets of single points: which of them a filter picks, and what is done with those picked. Pure. */
import type { PointFiguresView } from "../../api/types";
import type { TrackPoint } from "./marks";

/** Limits of a filter; null leaves a figure out of account. */
export type Filter = { error: number | null; worst: number | null; acceleration: number | null; seen: number | null };

/** Points beyond any limit. */
export function beyond(figures: readonly PointFiguresView[], filter: Filter): string[] {
  return figures
    .filter(
      (f) =>
        (filter.error !== null && f.error_px !== null && f.error_px > filter.error) ||
        (filter.worst !== null && f.worst_px !== null && f.worst_px > filter.worst) ||
        (filter.acceleration !== null && f.acceleration_px > filter.acceleration) ||
        (filter.seen !== null && f.seen < filter.seen),
    )
    .map((f) => f.id);
}

/** The points with some of them driving the plane, or not. */
export function driving(points: readonly TrackPoint[], ids: readonly string[], drives: boolean): TrackPoint[] {
  return points.map((p) => (ids.includes(p.id) ? { ...p, left_out: !drives } : p));
}

/** The points with some of them used within a span of frames only; null uses all frames again. */
export function within(points: readonly TrackPoint[], ids: readonly string[], span: [number, number] | null): TrackPoint[] {
  return points.map((p) => (ids.includes(p.id) ? { ...p, used_spans: span ? [span] : [] } : p));
}
