/** Drawing a new shape, a line or a point, or the four corners by clicks, and what it becomes. */
import type { Edit, MattePart, Placement } from "../../api/client";
import { useWork } from "../context";
import { distance, pair, type Pair, type PlatePoint } from "../model/geometry";
import { regionShapes } from "../model/keyed";
import { withSample } from "../model/matte";
import { closes } from "../model/polygons";
import { freshName } from "../../ui/names";
import { freshId } from "../model/shot";
import { setBench, useBench } from "../state";
import { newMatch } from "../model/match";
import { useMasking } from "../steps/mask/useMasking";
import { usePlacing } from "../steps/place/usePlacing";
import { setCursor, setDrawing, useDrafts } from "./useDraft";
import { setMarks } from "./useMarks";
import { setShapes } from "./useShapes";

export function useDrawing(): {
  click: (p: PlatePoint, near: number) => void;
  finish: () => void;
  cancel: () => void;
  step: (dx: number, dy: number) => void;
  press: () => void;
} {
  const { document, surface, edit, plate } = useWork();
  const placing = usePlacing();
  const masking = useMasking();

  /** What was drawn as part of the matte in hand: a sample of the key in hand, or a new part. */
  const masked = (tool: "sample" | "matte", points: Pair[], frame: number, outline: "straight" | "smooth") => {
    const { part } = masking;
    if (tool === "matte") masking.add({ kind: "shape", keys: [{ frame, points }], rides: surface?.id ?? null, outline } as unknown as MattePart);
    else if (part?.kind === "key") masking.setPart(withSample(part, frame, points));
    else masking.add({ kind: "key", samples: [{ frame, polygon: points }], despill: 1, marks_px: 16 } as unknown as MattePart);
  };

  const finish = () => {
    const { tool, frame, outline } = useBench.getState();
    const points = useDrafts.getState().drawing;
    if (points.length < 3 || tool === "move" || tool === "corners" || tool === "area" || tool === "point") return;
    const drawn = points.map((p) => pair(p));
    setDrawing([]);
    if (tool === "line") {
      // One line after the other: the tool stays until it is put down.
      void edit({ kind: "set_lens", lens: { ...document.lens, lines: [...document.lens.lines, drawn] } } as Edit);
      return;
    }
    setBench({ tool: "move" });
    if (tool === "spot") {
      const match = document.match.find((m) => m.surface === surface?.id) ?? (surface ? newMatch(surface.id) : null);
      if (match) void edit({ kind: "set_match", match: { ...match, spots: [...match.spots, { frame, polygon: drawn, code: [255, 255, 255] }] } } as Edit);
    } else if (tool === "sample" || tool === "matte") masked(tool, drawn, frame, outline);
    else if (tool === "occluder") {
      const taken = [...document.surfaces, ...document.occluders].map((x) => x.id);
      const id = freshId("in-front", taken);
      const depth = Math.min(0, ...document.surfaces.map((s) => s.depth - 1), ...document.occluders.map((o) => o.depth - 1));
      const name = freshName(
        "Outline",
        document.occluders.map((o) => o.name),
      );
      setBench({ selection: { kind: "points", shape: `occluder:${id}`, indices: [] } });
      void edit({ kind: "add_occluder", occluder: { id, name, depth, outline, keys: [{ frame, points: drawn }], feather_px: 0.8 } } as Edit);
    } else if (surface && (tool === "include" || tool === "exclude")) {
      const shapes = regionShapes(surface);
      setBench({ selection: { kind: "points", shape: `region:${shapes.length}`, indices: [] } });
      void edit(setShapes(surface, [...shapes, { role: tool, outline, rides: "plane", feather_px: 0, keys: [{ frame, points: drawn, ease: "linear" }] }]));
    }
  };

  const click = (p: PlatePoint, near: number) => {
    const { tool, frame } = useBench.getState();
    const points = useDrafts.getState().drawing;
    if (tool === "move") return;
    if (tool === "point") {
      if (!surface) return;
      const id = freshName(
        "p",
        surface.points.map((x) => x.id),
        "",
      );
      const one = { id, keys: [{ frame, at: pair(p) }], half_size_px: [12, 12], search_px: [40, 40], motion: "translation", against: "first" };
      setBench({ tool: "move", selection: { kind: "mark", id } });
      void edit(setMarks(surface, [...surface.points, one as (typeof surface.points)[number]]));
      return;
    }
    if (tool !== "corners" && tool !== "area") {
      if (tool !== "line" && closes(points, p, near)) finish();
      else setDrawing([...points, p]);
      return;
    }
    const next = [...points, p];
    if (next.length < 4) {
      setDrawing(next);
      return;
    }
    setDrawing([]);
    setBench({ tool: "move" });
    if (tool === "area") {
      if (placing.chosen) placing.set({ area: next.map((q) => pair(q)) as Placement["area"] });
      return;
    }
    if (surface) void edit({ kind: "set_corners", surface: surface.id, corners: next.map((q) => pair(q)) } as Edit);
  };

  /** Move the drawing hand with the keys; it begins at the last point, or in the middle of the plate. */
  const step = (dx: number, dy: number) => {
    const { drawing, cursor } = useDrafts.getState();
    const size = plate.facts ?? { width: 0, height: 0 };
    const from = cursor ?? drawing.at(-1) ?? { x: size.width / 2, y: size.height / 2 };
    setCursor({ x: Math.min(size.width, Math.max(0, from.x + dx)), y: Math.min(size.height, Math.max(0, from.y + dy)) });
  };
  /** Enter: sets a point where the hand is; on the last point once more, it closes the shape. */
  const press = () => {
    const { drawing, cursor } = useDrafts.getState();
    const last = drawing.at(-1);
    if (!cursor || (last && distance(last, cursor) < 1e-6)) finish();
    else click(cursor, 0.5);
  };

  const cancel = () => {
    setDrawing([]);
    setBench({ tool: "move" });
  };
  return { click, finish, cancel, step, press };
}
