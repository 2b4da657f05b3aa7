/** Where edges of the plate cross near the chosen corner: looked up quietly, offered, taken only when asked. */
import { useQuery } from "@tanstack/react-query";
import { api, type CrossingView, data } from "../../api/client";
import { useWork } from "../context";
import { distance, type PlatePoint } from "../model/geometry";
import { useBenchParts } from "../state";

/** How far from the corner it is looked for, plate px. */
const REACH = 8;

export type Offer = { at: PlatePoint; sigma: number; away: number };

export function useCrossing(corners: PlatePoint[] | null, movable: boolean): Offer | null {
  const { plate } = useWork();
  const { frame, playing, dragging, selection } = useBenchParts("frame", "playing", "dragging", "selection");
  const corner = selection?.kind === "corner" ? corners?.[selection.corner] : undefined;
  const asked = movable && !!corner && playing === 0 && !dragging;
  const found = useQuery({
    queryKey: ["crossing", plate.hash, frame, corner?.x, corner?.y],
    enabled: asked,
    staleTime: Infinity,
    retry: false,
    queryFn: async () => {
      const params = { path: { media_hash: plate.hash, frame }, query: { x: corner?.x ?? 0, y: corner?.y ?? 0, reach: REACH } };
      return data<CrossingView | null>(await api.GET("/api/media/{media_hash}/frames/{frame}/crossing", { params }));
    },
  }).data;
  if (!asked || !found) return null;
  const at = { x: found.at[0], y: found.at[1] };
  const away = distance(at, corner);
  return away > 0.02 ? { at, sigma: found.sigma_px, away } : null;
}
