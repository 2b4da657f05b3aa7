/** Drawing a new shape or the four corners by clicks, and what it becomes. */
import type { Edit } from "../../api/client";
import { useWork } from "../context";
import { pair, type PlatePoint } from "../model/geometry";
import { closes } from "../model/polygons";
import { freshId } from "../model/shot";
import { setBench, useBench } from "../state";
import { setDrawing, useDrafts } from "./useDraft";

export function useDrawing(): { click: (p: PlatePoint, near: number) => void; finish: () => void; cancel: () => void } {
  const { document, surface, edit } = useWork();

  const finish = () => {
    const { tool, frame } = useBench.getState();
    const points = useDrafts.getState().drawing;
    if (points.length < 3 || tool === "move" || tool === "corners") return;
    const polygon = points.map((p) => pair(p, 1));
    setDrawing([]);
    setBench({ tool: "move" });
    if (tool === "occluder") {
      const taken = [...document.surfaces, ...document.occluders].map((x) => x.id);
      const id = freshId("in-front", taken);
      const depth = Math.min(0, ...document.surfaces.map((s) => s.depth - 1), ...document.occluders.map((o) => o.depth - 1));
      const name = `In front ${document.occluders.length + 1}`;
      void edit({ kind: "add_occluder", occluder: { id, name, depth, keys: [{ frame, points: polygon }], feather_px: 0.8 } } as Edit);
    } else if (surface) {
      const region = { ...surface.region, [tool]: [...surface.region[tool], polygon] };
      void edit({ kind: "set_region", surface: surface.id, region } as Edit);
    }
  };

  const click = (p: PlatePoint, near: number) => {
    const { tool } = useBench.getState();
    const points = useDrafts.getState().drawing;
    if (tool === "move") return;
    if (tool !== "corners") {
      if (closes(points, p, near)) finish();
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
    if (surface) void edit({ kind: "set_corners", surface: surface.id, corners: next.map((q) => pair(q)) } as Edit);
  };

  const cancel = () => {
    setDrawing([]);
    setBench({ tool: "move" });
  };
  return { click, finish, cancel };
}
