/** The chosen single point over the whole take, where it is seen. */
import { useMemo } from "react";
import { useTakePoints } from "../../api/queries";
import { useWork } from "../context";
import type { PointPath } from "../model/curves";
import { useBench } from "../state";

export function usePointPath(wanted: boolean): PointPath {
  const { surface, take, followedFrames } = useWork();
  const chosen = useBench((s) => (s.selection?.kind === "mark" ? s.selection.id : null)) ?? surface?.points[0]?.id ?? null;
  const found = useTakePoints(wanted && take ? take.id : null, followedFrames?.size ?? 0, take?.running ?? false);
  return useMemo(() => {
    const path = new Map<number, { x: number; y: number }>();
    for (const [frame, points] of Object.entries(found ?? {})) {
      const p = chosen ? points[chosen] : undefined;
      if (p && p.x !== null && p.y !== null) path.set(Number(frame), { x: p.x, y: p.y });
    }
    return path;
  }, [chosen, found]);
}
