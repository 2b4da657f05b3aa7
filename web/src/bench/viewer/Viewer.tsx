/** The picture with its overlay: pan, zoom, drag, draw, magnify, wipe. */
import { type PointerEvent, useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useWork } from "../context";
import type { PlatePoint, ScreenPoint } from "../model/geometry";
import { lensOf } from "../model/lens";
import { cornersAt } from "../model/shot";
import { boxCorners, within } from "../model/polygons";
import { setBench, useBenchParts } from "../state";
import { LayoutHandles } from "../steps/place/LayoutHandles";
import { Magnifier } from "./Magnifier";
import { SpotReader } from "./SpotReader";
import { fitView, type Size, toPlate, toScreen, type View, zoomAbout } from "./math/view";
import { path } from "./grab";
import { LensOverlay } from "./LensOverlay";
import { Overlay } from "./Overlay";
import { Picture } from "./Picture";
import { setCursor, useDrafts } from "./useDraft";
import { useCrossing } from "./useCrossing";
import { useDrawing } from "./useDrawing";
import { useHand } from "./useHand";
import { useMarks } from "./useMarks";
import { useShapes } from "./useShapes";

type Drag = { kind: "pan"; from: ScreenPoint; view: View } | { kind: "wipe" } | { kind: "pick"; from: PlatePoint };

const CLOSE_PX = 10;

export function useSize(): [(node: HTMLDivElement | null) => void, Size] {
  const [size, setSize] = useState<Size>({ width: 0, height: 0 });
  const observer = useRef<ResizeObserver | null>(null);
  const ref = useCallback((node: HTMLDivElement | null) => {
    observer.current?.disconnect();
    if (!node) return;
    observer.current = new ResizeObserver(() => setSize({ width: node.clientWidth, height: node.clientHeight }));
    observer.current.observe(node);
  }, []);
  return [ref, size];
}

export function Viewer() {
  const { document, plate, pixelAspect, surface, frames, besideFrames, take } = useWork();
  const [box, size] = useSize();
  const [own, setOwn] = useState<View | null>(null);
  const [pointer, setPointer] = useState<ScreenPoint | null>(null);
  const [picking, setPicking] = useState<[PlatePoint, PlatePoint] | null>(null);
  const drag = useRef<Drag | null>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const allShapes = useShapes();
  const { corners, sigmas, shapes } = allShapes;
  const allMarks = useMarks();
  const { marks } = allMarks;
  const drawing = useDrafts((s) => s.drawing);
  const cursor = useDrafts((s) => s.cursor);
  const draw = useDrawing();
  const { shown, holdPlate, tool, overlays, dragging, wipe, holdMagnifier, selection, step, frame, lens, guide } = useBenchParts(
    "shown",
    "holdPlate",
    "tool",
    "overlays",
    "dragging",
    "wipe",
    "holdMagnifier",
    "selection",
    "step",
    "frame",
    "lens",
    "guide",
  );

  const plateSize = { width: plate.facts?.width ?? 16, height: plate.facts?.height ?? 9 };
  const { width, height } = plateSize;
  // The same view as long as nothing moves it: the picture is drawn again only when it changes.
  const view = useMemo(() => own ?? fitView({ width, height }, size, pixelAspect), [height, own, pixelAspect, size, width]);
  const screenOf = useCallback((p: PlatePoint) => toScreen(view, pixelAspect, p), [pixelAspect, view]);
  const plateOf = (s: ScreenPoint) => toPlate(view, pixelAspect, s);
  const local = (e: { clientX: number; clientY: number }): ScreenPoint => {
    const r = canvas.current?.getBoundingClientRect();
    return { x: e.clientX - (r?.left ?? 0), y: e.clientY - (r?.top ?? 0) };
  };
  const atReference = surface !== null && frame === surface.reference_frame;
  const tracked = frames?.get(frame)?.homography !== undefined && frames?.get(frame)?.homography !== null;
  const cornersMovable = (step === "outline" && atReference) || (step === "inspect" && tracked && !atReference);

  const crossing = useCrossing(corners, cornersMovable);

  useEffect(() => {
    const fit = (e: Event) => setOwn((e as CustomEvent<View | null>).detail);
    window.addEventListener("bench-view", fit);
    return () => window.removeEventListener("bench-view", fit);
  }, []);

  const hand = useHand(
    allShapes,
    allMarks,
    (e) => plateOf(local(e)),
    () => canvas.current?.parentElement,
  );

  const down = (e: PointerEvent) => {
    const at = local(e);
    e.currentTarget.setPointerCapture(e.pointerId);
    if (wipe !== null && Math.abs(at.x - (view.panX + plateSize.width * pixelAspect * view.zoom * wipe)) < 9) {
      drag.current = { kind: "wipe" };
    } else if (tool !== "move" && e.button === 0) {
      draw.click(plateOf(at), CLOSE_PX / view.zoom);
    } else if (e.shiftKey && e.button === 0 && step === "outline") {
      drag.current = { kind: "pick", from: plateOf(at) };
    } else {
      if (e.button === 0) setBench({ selection: null });
      drag.current = { kind: "pan", from: at, view };
    }
  };

  const move = (e: PointerEvent) => {
    const at = local(e);
    setPointer(at);
    if (cursor) setCursor(null);
    if (hand.moved(e)) return;
    const d = drag.current;
    if (!d) return;
    if (d.kind === "pan") setOwn({ ...d.view, panX: d.view.panX + at.x - d.from.x, panY: d.view.panY + at.y - d.from.y });
    else if (d.kind === "wipe") setBench({ wipe: Math.min(1, Math.max(0, (at.x - view.panX) / (plateSize.width * pixelAspect * view.zoom))) });
    else setPicking([d.from, plateOf(at)]);
  };

  const up = () => {
    hand.released();
    const d = drag.current;
    drag.current = null;
    setPicking(null);
    if (d?.kind === "pick" && picking) {
      // The shape with the most points inside is meant.
      const best = shapes
        .filter((s) => s.editable)
        .map((s) => ({ shape: s.id, indices: within(s.points, ...picking) }))
        .sort((a, b) => b.indices.length - a.indices.length)[0];
      setBench({ selection: best?.indices.length ? { kind: "points", ...best } : null });
    }
  };

  const wheel = (e: React.WheelEvent) => setOwn(zoomAbout(view, local(e), Math.exp(-e.deltaY * 0.0016)));
  const pointing = cursor ? screenOf(cursor) : pointer;
  const magnifying = pointing !== null && (holdMagnifier || dragging || tool === "corners" || tool === "area" || tool === "point" || tool === "line");

  return (
    <div
      className="viewer"
      ref={box}
      data-testid="viewer"
      data-zoom={view.zoom}
      data-pan={`${view.panX},${view.panY}`}
      style={{ cursor: tool === "move" ? "default" : "crosshair" }}
      onPointerDown={down}
      onPointerMove={move}
      onPointerUp={up}
      onPointerCancel={up}
      onPointerLeave={() => setPointer(null)}
      onWheel={wheel}
      onDoubleClick={() => tool !== "move" && draw.finish()}
    >
      <Picture view={view} size={size} aspect={pixelAspect} canvasRef={canvas} />
      <svg className="overlay" width={size.width} height={size.height} aria-hidden>
        <defs>
          <pattern id="slanted" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <path d="M0 0V7" stroke="#d18c5c" strokeOpacity=".4" strokeWidth="1.4" />
          </pattern>
          <pattern id="crossed" width="9" height="9" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
            <path d="M0 0V9M0 0H9" stroke="#d18c5c" strokeOpacity=".26" strokeWidth="1" />
          </pattern>
        </defs>
        {overlays && lens && step === "outline" && ((shown !== "still" && shown !== "straight") || holdPlate) && <LensOverlay toScreen={screenOf} />}
        {guide === "grid" && shown === "still" && !holdPlate && (
          <StillGrid view={view} size={{ width: plateSize.width * pixelAspect, height: plateSize.height }} />
        )}
        {picking && (
          <path
            d={path(boxCorners({ left: picking[0].x, top: picking[0].y, right: picking[1].x, bottom: picking[1].y }).map(screenOf))}
            fill="rgba(98,181,163,.12)"
            stroke="#f4ecda"
            strokeDasharray="1 4"
          />
        )}
        {overlays && ((shown !== "still" && shown !== "straight") || holdPlate || wipe !== null) && (
          <Overlay
            toScreen={screenOf}
            zoom={view.zoom}
            corners={corners}
            cornersMovable={cornersMovable}
            sigmas={sigmas}
            lens={lensOf(take, document.lens, plateSize.width, plateSize.height)}
            shapes={
              step === "place" || step === "handover"
                ? []
                : step === "mask"
                  ? shapes.filter((s) => s.kind === "matte" || s.kind === "sample")
                  : step === "match"
                    ? shapes.filter((s) => s.id.startsWith("spot:"))
                    : shapes.filter((s) => !s.id.startsWith("spot:"))
            }
            marks={
              step === "place" || step === "mask" || step === "match" || step === "handover"
                ? []
                : marks.map((m) => (m.id === hand.pulled?.id ? hand.pulled : m))
            }
            marksMovable={step === "outline"}
            crossing={crossing?.at ?? null}
            drawing={drawing}
            drawingTo={cursor ?? (drawing.length && pointer ? plateOf(pointer) : null)}
            cursor={cursor}
            selection={selection}
            faded={dragging}
            edges={shown !== "result" || holdPlate}
            beside={surface && besideFrames ? cornersAt({ ...surface, corrections: [] }, besideFrames, frame) : null}
            onGrab={hand.onGrab}
          />
        )}
        {overlays && step === "place" && shown !== "still" && shown !== "straight" && <LayoutHandles toView={screenOf} toPlate={plateOf} named="" />}
        {wipe !== null && <WipeLine x={view.panX + plateSize.width * pixelAspect * view.zoom * wipe} height={size.height} />}
      </svg>
      {magnifying && pointing && <Magnifier at={hand.held() ?? plateOf(pointing)} screen={{ ...pointing, width: size.width }} />}
      {step === "match" && pointing && <SpotReader at={plateOf(pointing)} />}
      <span className="zoom mono" data-testid="zoom">
        {Math.round(view.zoom * 100)} %
      </span>
    </div>
  );
}

/** An even grid over the picture: it does not move with what is held still. */
function StillGrid({ view, size }: { view: View; size: Size }) {
  const cells = 16;
  const rows = Math.round((cells * size.height) / size.width);
  const [w, h] = [size.width * view.zoom, size.height * view.zoom];
  const lines = [
    ...Array.from({ length: cells + 1 }, (_, i) => `M${view.panX + (i * w) / cells} ${view.panY}v${h}`),
    ...Array.from({ length: rows + 1 }, (_, i) => `M${view.panX} ${view.panY + (i * h) / rows}h${w}`),
  ].join("");
  return <path d={lines} stroke="#f4ecda" strokeOpacity={0.4} strokeWidth={1} fill="none" pointerEvents="none" data-testid="still-grid" />;
}

function WipeLine({ x, height }: { x: number; height: number }) {
  return (
    <g data-testid="wipe">
      <path d={`M${x} 0V${height}`} stroke="#121414" strokeWidth={3} strokeOpacity={0.5} />
      <path d={`M${x} 0V${height}`} stroke="#f4ecda" strokeWidth={1.2} />
      <path
        d={`M${x - 5} ${height / 2 - 7}L${x - 12} ${height / 2}L${x - 5} ${height / 2 + 7}M${x + 5} ${height / 2 - 7}L${x + 12} ${height / 2}L${x + 5} ${height / 2 + 7}`}
        fill="none"
        stroke="#f4ecda"
        strokeWidth={1.6}
      />
      <text x={x - 16} y={22} textAnchor="end" className="tag">
        result
      </text>
      <text x={x + 16} y={22} className="tag">
        plate
      </text>
    </g>
  );
}
