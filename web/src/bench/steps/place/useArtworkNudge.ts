/** Arrow keys move the artwork that is held by a step in plate px; what follows within a second is one step to undo. */
import { useRef } from "react";
import type { Placement } from "../../../api/client";
import { useWork } from "../../context";
import { apply, at, invert, unitSquareTo } from "../../model/geometry";
import { stepIn } from "../../model/layout";
import { layoutAt, layoutSet } from "../../model/placing";
import { cornersAt } from "../../model/shot";
import { usePlacing } from "./usePlacing";

const PATIENCE_MS = 900;

export function useArtworkNudge(): (frame: number, by: { x: number; y: number }) => void {
  const { surface, frames, live } = useWork();
  const { chosen, setEdit } = usePlacing();
  const last = useRef<{ id: string; frame: number; at: number; stroke: string; layout: Placement["layout"] } | null>(null);
  return (frame, by) => {
    const here = surface?.corners ? cornersAt(surface, frames, frame) : null;
    if (!chosen || !surface?.corners || !here) return;
    const onSurface = invert(unitSquareTo(surface.corners.map((c) => at(c))));
    const area = (chosen.area ?? surface.corners).map((c) => apply(unitSquareTo(here), apply(onSurface, at(c))));
    const now = performance.now();
    const going = last.current && last.current.id === chosen.id && last.current.frame === frame && now - last.current.at < PATIENCE_MS ? last.current : null;
    // Keys may come faster than answers: each goes on from the last.
    const keys = going?.layout ?? chosen.layout;
    const { move } = layoutAt(keys, frame);
    const [dx, dy] = stepIn(area, by);
    const layout = layoutSet(keys, frame, { move: [move[0] + dx, move[1] + dy] });
    last.current = { id: chosen.id, frame, at: now, stroke: going?.stroke ?? crypto.randomUUID(), layout };
    void live(last.current.stroke, setEdit({ layout }));
  };
}
