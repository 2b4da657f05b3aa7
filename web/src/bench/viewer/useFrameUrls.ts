/** Addresses of the pictures that a frame is shown from. */
import { useCallback } from "react";
import { urls } from "../../api/client";
import { useWork } from "../context";
import { chosenMatte } from "../model/matte";
import { canCompose, knowsLens } from "../model/shot";
import type { Shown } from "../model/views";
import { type MatteView, useBench } from "../state";

/** How far the takes are: another text whenever a picture made from them may be another one. */
export function useTakesState(): string {
  const { shot, document, framesOf } = useWork();
  return document.surfaces
    .map((s) => {
      const take = shot.takes.find((t) => t.id === s.take);
      return take ? take.version || String(framesOf(s)?.size ?? 0) : "";
    })
    .join("_");
}

/** Whether what is shown is a matte. */
export function isMatteView(shown: Shown): shown is MatteView {
  return shown === "alone" || shown === "over" || shown === "cut" || shown === "zones";
}

export function useFrameUrl(): (shown: Shown, frame: number) => string {
  const { shot, plate, document, surface, frames } = useWork();
  const held = useBench((s) => s.held);
  const chart = useBench((s) => s.guide === "chart");
  const chosen = useBench((s) => s.matte);
  const matte = chosenMatte(document.mattes, chosen, surface?.id)?.id ?? null;
  const state = useTakesState();
  return useCallback(
    (shown, frame) => {
      if (shown === "result" && document.placements.length > 0 && canCompose(shot, frame)) return urls.result(shot.id, shot.revision, frame, state);
      if (shown === "difference" && document.placements.length > 0 && canCompose(shot, frame)) return urls.difference(shot.id, shot.revision, frame, state);
      if (shown === "analysis" && surface?.corners) return urls.view(shot.id, shot.revision, surface.id, "analysis", frame, state);
      if (shown === "coverage" && surface?.corners && (frames?.get(frame)?.homography || frame === surface.reference_frame))
        return urls.view(shot.id, shot.revision, surface.id, "coverage", frame, state);
      if (isMatteView(shown) && matte) return urls.matte(shot.id, shot.revision, matte, shown, frame, state);
      if (shown === "straight" && knowsLens(document)) return urls.straight(shot.id, shot.revision, frame);
      // Where the surface is lost there is nothing to hold the picture by: the plate shows.
      if (shown === "still" && surface && frames?.get(frame)?.homography)
        return urls.view(shot.id, shot.revision, surface.id, held, frame, state) + (chart ? "&stand_in=true" : "");
      return urls.proxy(plate.hash, frame, document.plate.colour);
    },
    [chart, document, frames, held, matte, plate.hash, shot, state, surface],
  );
}
