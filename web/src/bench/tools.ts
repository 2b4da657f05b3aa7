/** Taking a drawing tool in hand, and when that makes no sense. */
import type { BenchWork } from "./context";
import { homographyAt } from "./model/shot";
import { setBench, type Tool, useBench } from "./state";
import { setDrawing } from "./viewer/useDraft";

/** Why a tool cannot be used at a frame, or null. */
export function toolProblem(tool: Tool, work: Pick<BenchWork, "surface" | "frames" | "firstFrame">, frame: number): string | null {
  const { surface, frames, firstFrame } = work;
  if (tool === "move" || tool === "occluder" || tool === "line" || tool === "sample" || tool === "matte" || tool === "spot") return null;
  if (!surface) return "Begin a surface first.";
  if (tool === "area" && frame !== surface.reference_frame) return `An area is drawn at the reference frame, ${surface.reference_frame + firstFrame}.`;
  if (tool === "corners" && frame !== surface.reference_frame) return `Corners are placed at the reference frame, ${surface.reference_frame + firstFrame}.`;
  if ((tool === "include" || tool === "exclude") && !homographyAt(surface, frames, frame))
    return "The surface is not followed at this frame; go to its reference frame.";
  return null;
}

/** Take a tool in hand, or put it down when it is in hand already. */
export function setTool(tool: Tool): void {
  const { tool: now } = useBench.getState();
  setDrawing([]);
  setBench({ tool: now === tool ? "move" : tool, shown: "plate", wipe: null, overlays: true, selection: null, ...(tool === "line" ? { lens: true } : {}) });
  // The keys belong to the picture now, not to the button.
  if (document.activeElement instanceof HTMLElement) document.activeElement.blur();
}
