/** Addresses of the pictures that a frame is shown from. */
import { useCallback } from "react";
import { urls } from "../../api/client";
import { useWork } from "../context";
import type { Shown } from "../state";

export function useFrameUrl(): (shown: Shown, frame: number) => string {
  const { shot, plate, document, framesOf } = useWork();
  const known = document.surfaces.reduce((sum, s) => sum + (framesOf(s)?.size ?? 0), 0);
  return useCallback(
    (shown, frame) =>
      shown === "result" && document.placements.length > 0
        ? urls.result(shot.id, shot.revision, frame, known)
        : urls.proxy(plate.hash, frame),
    [document.placements.length, known, plate.hash, shot.id, shot.revision],
  );
}
