/** Shapes while they are dragged: shown at once, sent when let go, forgotten when the document has them. */
import { create } from "zustand";
import type { PlatePoint } from "../model/geometry";

type Drafts = {
  /** Points by shape id (`corners`, `include:0`, `exclude:1`, `occluder:arm`), while being changed. */
  shapes: Record<string, PlatePoint[]>;
  /** Points of a polygon that is being drawn. */
  drawing: PlatePoint[];
  /** Where the arrow keys have brought the drawing hand; null while the pointer draws. */
  cursor: PlatePoint | null;
};

export const useDrafts = create<Drafts>(() => ({ shapes: {}, drawing: [], cursor: null }));

export function setDraft(id: string, points: PlatePoint[] | null): void {
  useDrafts.setState((s) => ({
    shapes: points ? { ...s.shapes, [id]: points } : Object.fromEntries(Object.entries(s.shapes).filter(([key]) => key !== id)),
  }));
}

export function setDrawing(points: PlatePoint[]): void {
  useDrafts.setState(points.length ? { drawing: points } : { drawing: points, cursor: null });
}

export function setCursor(cursor: PlatePoint | null): void {
  useDrafts.setState({ cursor });
}
