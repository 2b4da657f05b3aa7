/** Artwork's outline to take hold of: its body moves it, corners scale it, a stalk turns it, edges crop it. In the flat view and in the picture alike. */
import { type PointerEvent, useRef, useState } from "react";
import type { LayoutKey } from "../../../api/client";
import { useWork } from "../../context";
import { mediaOf } from "../../../shelf/artwork";
import { apply, at, edgeAspect, invert, type PlatePoint, type ScreenPoint, unitSquareTo } from "../../model/geometry";
import { dragged, EDGES, fitted, type Held, outlineIn, type UnitPoint } from "../../model/layout";
import { layoutAt, layoutSet } from "../../model/placing";
import { cornersAt } from "../../model/shot";
import { setBench, useBench } from "../../state";
import { path } from "../../viewer/grab";
import { usePlacing } from "./usePlacing";

type Props = {
  /** From plate px of this frame to px of the view, and back. */
  toView: (p: PlatePoint) => ScreenPoint;
  toPlate: (p: ScreenPoint) => PlatePoint;
  named: string;
};

export function LayoutHandles({ toView, toPlate, named }: Props) {
  const { surface, frames, shot, live, pixelAspect } = useWork();
  const { chosen, setEdit } = usePlacing();
  const frame = useBench((s) => s.frame);
  const tool = useBench((s) => s.tool);
  const [moving, setMoving] = useState<Partial<LayoutKey> | null>(null);
  const drag = useRef<{ held: Held; from: UnitPoint; lie: LayoutKey; stroke: string } | null>(null);
  const here = surface ? cornersAt(surface, frames, frame) : null;
  const shown =
    chosen && chosen.on && chosen.surface === surface?.id && chosen.rides === "full" && chosen.drawn_over === null && !chosen.painted && tool === "move";
  if (!shown || !surface?.corners || !here) return null;
  const reference = surface.corners.map((c) => at(c));
  const onSurface = invert(unitSquareTo(reference));
  const areaAtReference = (chosen.area ?? surface.corners).map((c) => at(c));
  const onPlate = unitSquareTo(here);
  const toArea = unitSquareTo(areaAtReference.map((p) => apply(onPlate, apply(onSurface, p))));
  const back = invert(toArea);
  const aspect = edgeAspect(areaAtReference.map((p) => ({ x: p.x * pixelAspect, y: p.y })));
  const area = chosen.area || !surface.proportions ? aspect : surface.proportions;
  const a = chosen.artwork;
  const facts = shot.media[mediaOf(a)[0] ?? ""]?.facts;
  const [pn = 1, pd = 1] = (facts?.pixel_aspect ?? "1/1").split("/").map(Number);
  const art = a.kind === "order" ? (a.width * a.pixel_aspect) / a.height : a.kind === "file" && facts ? (facts.width * pn) / pd / facts.height : area;
  const now = { ...layoutAt(chosen.layout, frame), ...moving };
  const size = fitted(chosen.fit, art, area);
  const outline = outlineIn(now, size, area);
  const px = (p: UnitPoint) => toView(apply(toArea, { x: p.x, y: p.y }));
  const unitOf = (e: PointerEvent<SVGElement>): UnitPoint => {
    const r = e.currentTarget.ownerSVGElement?.getBoundingClientRect();
    const p = apply(back, toPlate({ x: e.clientX - (r?.left ?? 0), y: e.clientY - (r?.top ?? 0) }));
    return { x: p.x, y: p.y };
  };
  const grab = (held: Held) => (e: PointerEvent<SVGElement>) => {
    if (e.button !== 0) return;
    e.stopPropagation();
    e.currentTarget.setPointerCapture(e.pointerId);
    setBench({ selection: { kind: "artwork" } });
    drag.current = { held, from: unitOf(e), lie: layoutAt(chosen.layout, frame), stroke: crypto.randomUUID() };
  };
  const tell = (e: PointerEvent<SVGElement>) => {
    const d = drag.current;
    if (!d) return null;
    e.stopPropagation();
    const change = dragged(d.lie, d.held, d.from, unitOf(e), area, e.shiftKey, size);
    setMoving(change);
    return live(d.stroke, setEdit({ layout: layoutSet(chosen.layout, frame, change) }));
  };
  const release = (e: PointerEvent<SVGElement>) => {
    const told = tell(e);
    drag.current = null;
    void told?.then(() => setMoving(null));
  };
  const events = (held: Held) => ({ onPointerDown: grab(held), onPointerMove: tell, onPointerUp: release, onPointerCancel: release });
  const corners = outline.corners.map(px);
  const stalk = px(outline.stalk);
  const middleOf = (i: number, j: number) => ({ x: ((corners[i]?.x ?? 0) + (corners[j]?.x ?? 0)) / 2, y: ((corners[i]?.y ?? 0) + (corners[j]?.y ?? 0)) / 2 });
  const alongEdge = (i: number, j: number) =>
    (Math.atan2((corners[j]?.y ?? 0) - (corners[i]?.y ?? 0), (corners[j]?.x ?? 0) - (corners[i]?.x ?? 0)) * 180) / Math.PI;
  const ends = { left: [3, 0], top: [0, 1], right: [1, 2], bottom: [2, 3] } as const;
  const foot = corners[0] && corners[1] ? { x: (corners[0].x + corners[1].x) / 2, y: (corners[0].y + corners[1].y) / 2 } : stalk;
  return (
    <g data-testid={`${named}layout`} style={{ pointerEvents: "auto" }}>
      <path
        d={path(corners)}
        fill="transparent"
        stroke="rgba(18,20,20,.6)"
        strokeWidth={3.2}
        style={{ cursor: "move" }}
        {...events("body")}
        data-testid={`${named}layout-body`}
      >
        <title>Drag to move it, then the arrows nudge it; with Shift it does not snap</title>
      </path>
      <path d={path(corners)} fill="none" stroke="#62b5a3" strokeWidth={1.4} strokeDasharray="1 3" pointerEvents="none" />
      <path d={`M${foot.x} ${foot.y}L${stalk.x} ${stalk.y}`} stroke="#62b5a3" strokeWidth={1.4} pointerEvents="none" />
      <g style={{ cursor: "grab" }} {...events("turn")} data-testid={`${named}layout-turn`}>
        <circle cx={stalk.x} cy={stalk.y} r={10} fill="transparent" />
        <circle cx={stalk.x} cy={stalk.y} r={4.2} fill="#1e2020" stroke="#62b5a3" strokeWidth={1.6} />
        <title>Drag to turn it; with Shift it does not snap</title>
      </g>
      {EDGES.map((edge) => {
        const [i, j] = ends[edge];
        const p = middleOf(i, j);
        return (
          <g
            key={edge}
            transform={`translate(${p.x} ${p.y}) rotate(${alongEdge(i, j)})`}
            style={{ cursor: edge === "left" || edge === "right" ? "ew-resize" : "ns-resize" }}
            {...events(edge)}
            data-testid={`${named}layout-${edge}`}
          >
            <rect x={-12} y={-7} width={24} height={14} fill="transparent" />
            <path d="M-8 0H8" stroke="#121414" strokeWidth={5} strokeLinecap="round" />
            <path d="M-8 0H8" stroke="#d18c5c" strokeWidth={2.4} strokeLinecap="round" />
            <title>Drag to crop it; with Shift it does not snap</title>
          </g>
        );
      })}
      {corners.map((p, i) => (
        <g key={i} style={{ cursor: "nwse-resize" }} {...events(i as Held)} data-testid={`${named}layout-${i}`}>
          <circle cx={p.x} cy={p.y} r={10} fill="transparent" />
          <path d={`M${p.x - 6} ${p.y}H${p.x + 6}M${p.x} ${p.y - 6}V${p.y + 6}`} stroke="#62b5a3" strokeWidth={2.2} />
          <title>Drag to scale it; with Shift it does not snap</title>
        </g>
      ))}
    </g>
  );
}
