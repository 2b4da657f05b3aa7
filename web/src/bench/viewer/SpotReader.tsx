/** What plate, artwork and result have under the pointer, in codes and in linear light. */
import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api, data, type SpotView } from "../../api/client";
import { useWork } from "../context";
import type { PlatePoint } from "../model/geometry";
import { useCalmFrame } from "../state";
import { useTakesState } from "./useFrameUrls";

const CALM_MS = 120;
const ROWS = ["plate", "artwork", "result"] as const;

export function SpotReader({ at }: { at: PlatePoint }) {
  const { shot, plate, document } = useWork();
  const state = useTakesState();
  const frame = useCalmFrame();
  const [x, y] = [Math.floor(at.x), Math.floor(at.y)];
  const [calm, setCalm] = useState<{ x: number; y: number } | null>(null);
  useEffect(() => {
    const later = window.setTimeout(() => setCalm({ x, y }), CALM_MS);
    return () => window.clearTimeout(later);
  }, [x, y]);
  const inside = !!calm && !!plate.facts && calm.x >= 0 && calm.y >= 0 && calm.x < plate.facts.width && calm.y < plate.facts.height;
  const told = useQuery({
    queryKey: ["spot", shot.id, shot.revision, state, frame, calm?.x, calm?.y],
    enabled: inside && document.placements.length > 0,
    retry: false,
    gcTime: 10_000,
    placeholderData: (before: SpotView | undefined) => before,
    queryFn: async () =>
      data<SpotView>(
        await api.GET("/api/shots/{shot_id}/revisions/{number}/spot/{frame}", {
          params: { path: { shot_id: shot.id, number: shot.revision, frame }, query: { x: (calm?.x ?? 0) + 0.5, y: (calm?.y ?? 0) + 0.5, state } },
        }),
      ),
  }).data;
  if (!told || !inside) return null;
  return (
    <table className="spot-reader mono" data-testid="spot-reader">
      <thead>
        <tr>
          <td />
          <td colSpan={3}>codes</td>
          <td colSpan={3}>linear</td>
        </tr>
      </thead>
      <tbody>
        {ROWS.map((k) => (
          <tr key={k}>
            <th>{k}</th>
            {told[k].codes.map((v, i) => (
              <td key={i}>{Math.round(v)}</td>
            ))}
            {told[k].light.map((v, i) => (
              <td key={i}>{v.toFixed(3)}</td>
            ))}
          </tr>
        ))}
      </tbody>
    </table>
  );
}
