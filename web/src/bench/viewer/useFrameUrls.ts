/** Addresses of the pictures that a frame is shown from. */
import { useCallback } from "react";
import { urls } from "../../api/client";
import { useWork } from "../context";
import { knowsLens } from "../model/shot";
import { type Shown, useBench } from "../state";

export function useFrameUrl(): (shown: Shown, frame: number) => string {
  const { shot, plate, document, framesOf, surface, frames } = useWork();
  const held = useBench((s) => s.held);
  const known = document.surfaces.reduce((sum, s) => sum + (framesOf(s)?.size ?? 0), 0);
  return useCallback(
    (shown, frame) => {
      if (shown === "result" && document.placements.length > 0) return urls.result(shot.id, shot.revision, frame, known);
      if (shown === "analysis" && surface?.corners) return urls.view(shot.id, shot.revision, surface.id, "analysis", frame, known);
      if (shown === "coverage" && surface?.corners && (frames?.get(frame)?.homography || frame === surface.reference_frame))
        return urls.view(shot.id, shot.revision, surface.id, "coverage", frame, known);
      if (shown === "straight" && knowsLens(document)) return urls.straight(shot.id, shot.revision, frame);
      // Where the surface is lost there is nothing to hold the picture by: the plate shows.
      if (shown === "still" && surface && frames?.get(frame)?.homography) return urls.view(shot.id, shot.revision, surface.id, held, frame, known);
      return urls.proxy(plate.hash, frame);
    },
    [document, frames, held, known, plate.hash, shot.id, shot.revision, surface],
  );
}
