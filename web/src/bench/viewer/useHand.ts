/** Dragging corners, points of shapes and single points, in whichever view they lie. */
import { type PointerEvent, useCallback, useLayoutEffect, useRef, useState } from "react";
import { distance, type PlatePoint } from "../model/geometry";
import type { Mark } from "../model/marks";
import { boxCorners, boxOf, insertAfter, midpoint, moveSome, scaleSome } from "../model/polygons";
import { setBench, useBench } from "../state";
import type { Grab } from "./grab";
import { setDraft } from "./useDraft";
import type { Marks } from "./useMarks";
import type { Shapes } from "./useShapes";

type Drag =
  | { kind: "mark"; id: string; what: "at" | "half_size_px" | "search_px"; start: PlatePoint }
  | { kind: "shape"; id: string; start: PlatePoint; points: PlatePoint[]; indices: number[]; handle: number | null; now: PlatePoint[] };

export type Hand = {
  /** Take hold of something; the same function as long as the view stands. */
  onGrab: (e: PointerEvent, grab: Grab) => void;
  /** Whether something is held, and was moved. */
  moved: (e: PointerEvent) => boolean;
  released: () => void;
  /** A single point with its size while it is pulled. */
  pulled: Mark | null;
  /** Where what is held is now, when it is one point. */
  held: () => PlatePoint | undefined;
};

/** `plateOf`: where an event lies on the plate; `capture`: what keeps getting the pointer's moves. */
export function useHand(shapes: Shapes, marks: Marks, plateOf: (e: PointerEvent) => PlatePoint, capture: () => Element | null | undefined): Hand {
  const drag = useRef<Drag | null>(null);
  const [pulled, setPulled] = useState<Mark | null>(null);

  const grab = (e: PointerEvent, g: Grab) => {
    const { tool, selection } = useBench.getState();
    if (e.button !== 0 || tool !== "move") return;
    e.stopPropagation();
    capture()?.setPointerCapture(e.pointerId);
    const start = plateOf(e);
    const { corners } = shapes;
    if (g.kind === "corner") {
      setBench({ selection: { kind: "corner", corner: g.corner } });
      if (corners) drag.current = { kind: "shape", id: "corners", start, points: corners, indices: [g.corner], handle: null, now: corners };
      return;
    }
    if (g.kind === "mark") {
      setBench({ selection: { kind: "mark", id: g.id } });
      drag.current = { ...g, start };
      return;
    }
    const shape = shapes.shapes.find((s) => s.id === g.shape);
    if (!shape) return;
    let points = shape.points;
    const chosen = selection?.kind === "points" && selection.shape === shape.id ? selection.indices : [];
    let indices = points.map((_, i) => i);
    if (g.kind === "insert") {
      points = insertAfter(points, g.index, midpoint(points, g.index));
      indices = [g.index + 1];
    } else if (g.kind === "point") {
      if (e.shiftKey) indices = chosen.includes(g.index) ? chosen.filter((i) => i !== g.index) : [...chosen, g.index];
      else indices = chosen.includes(g.index) ? chosen : [g.index];
    } else if (g.kind === "scale") indices = chosen;
    setBench({ selection: { kind: "points", shape: shape.id, indices } });
    drag.current = { kind: "shape", id: shape.id, start, points, indices, handle: g.kind === "scale" ? g.handle : null, now: points };
  };
  const newest = useRef(grab);
  useLayoutEffect(() => {
    newest.current = grab;
  });
  const onGrab = useCallback((e: PointerEvent, g: Grab) => newest.current(e, g), []);

  const moved = (e: PointerEvent): boolean => {
    const d = drag.current;
    if (!d) return false;
    const p = plateOf(e);
    const by = { x: p.x - d.start.x, y: p.y - d.start.y };
    if (d.kind === "mark") {
      const was = marks.marks.find((m) => m.id === d.id);
      if (!was) return true;
      const grown = (size: [number, number]): [number, number] => [Math.max(4, size[0] + by.x), Math.max(4, size[1] + by.y)];
      if (d.what === "at") setPulled({ ...was, at: { x: was.at.x + by.x, y: was.at.y + by.y } });
      else setPulled(d.what === "search_px" ? { ...was, search: grown(was.search) } : { ...was, half: grown(was.half) });
    } else {
      const box = d.handle === null ? null : boxOf(d.points, d.indices);
      const handle = box && d.handle !== null ? boxCorners(box)[d.handle] : undefined;
      d.now =
        box && d.handle !== null && handle
          ? scaleSome(d.points, d.indices, box, d.handle, { x: handle.x + by.x, y: handle.y + by.y }, e.shiftKey)
          : moveSome(d.points, d.indices, by.x, by.y);
      setDraft(d.id, d.now);
    }
    if (!useBench.getState().dragging) setBench({ dragging: true });
    return true;
  };

  const released = () => {
    const d = drag.current;
    drag.current = null;
    if (!d) return;
    setBench({ dragging: false });
    if (d.kind === "mark") {
      if (pulled && d.what === "at") marks.move(d.id, pulled.at);
      else if (pulled && d.what !== "at")
        marks.resize(d.id, d.what, (d.what === "search_px" ? pulled.search : pulled.half).map((v) => Math.round(v * 10) / 10) as [number, number]);
      setPulled(null);
      return;
    }
    const differs = d.now.length !== d.points.length || d.now.some((p, i) => distance(p, d.points[i] ?? p) > 1e-6);
    const was = shapes.shapes.find((s) => s.id === d.id)?.points.length ?? 4;
    if (differs || d.now.length > was) shapes.commit(d.id, d.now);
    else setDraft(d.id, null);
  };

  const held = () => {
    const d = drag.current;
    if (d?.kind === "mark") return pulled?.at;
    return d && d.indices.length === 1 && d.handle === null ? d.now[d.indices[0] ?? 0] : undefined;
  };
  return { onGrab, moved, released, pulled, held };
}
