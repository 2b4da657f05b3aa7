/** The surface seen square-on, held still, drawn from the picture by a fine mesh. */
import { Segmented, Select, Tooltip } from "antd";
import { type DragEvent, type PointerEvent, useDeferredValue, useEffect, useMemo, useRef, useState } from "react";
import { useShallow } from "zustand/react/shallow";
import { useWork } from "../context";
import { apply, distance, edgeAspect, invert, type PlatePoint, unitSquareTo } from "../model/geometry";
import { glyphPath } from "../../ui/corners";
import { cornersAt } from "../model/shot";
import { setBench, useBench } from "../state";
import { frameCache } from "../viewer/frames";
import { SLOT_DRAG } from "../../shelf/useShelf";
import { usePlacing } from "../steps/place/usePlacing";
import { LayoutHandles } from "../steps/place/LayoutHandles";
import { Overlay } from "../viewer/Overlay";
import { useDrafts } from "../viewer/useDraft";
import { useDrawing } from "../viewer/useDrawing";
import { useFrameUrl } from "../viewer/useFrameUrls";
import { useHand } from "../viewer/useHand";
import { useMarks } from "../viewer/useMarks";
import { useShapes } from "../viewer/useShapes";
import { useSize } from "../viewer/Viewer";

/** Cells of the mesh along each side; fewer while playing, when nobody measures on it. */
const CELLS_STILL = 14;
const CELLS_PLAYING = 4;
const CELLS_DRAGGING = 5;

function drawFlat(
  cells: number,
  context: CanvasRenderingContext2D,
  picture: ImageBitmap,
  quad: PlatePoint[],
  scale: number,
  x0: number,
  y0: number,
  w: number,
  h: number,
) {
  const plateFromUnit = unitSquareTo(quad);
  const grid: { u: number; v: number; x: number; y: number }[][] = [];
  for (let r = 0; r <= cells; r++) {
    const row = [];
    for (let c = 0; c <= cells; c++) {
      const p = apply(plateFromUnit, { x: c / cells, y: r / cells });
      row.push({ u: p.x * scale, v: p.y * scale, x: x0 + (c / cells) * w, y: y0 + (r / cells) * h });
    }
    grid.push(row);
  }
  for (let r = 0; r < cells; r++) {
    for (let c = 0; c < cells; c++) {
      const a = grid[r]?.[c];
      const b = grid[r]?.[c + 1];
      const d = grid[r + 1]?.[c];
      if (!a || !b || !d) continue;
      // An affine map per cell: screen = m * picture px.
      const du1 = b.u - a.u,
        dv1 = b.v - a.v,
        du2 = d.u - a.u,
        dv2 = d.v - a.v;
      const det = du1 * dv2 - du2 * dv1;
      if (Math.abs(det) < 1e-9) continue;
      const sx = b.x - a.x,
        sy = d.y - a.y;
      const m11 = (sx * dv2) / det,
        m12 = (-sy * dv1) / det,
        m21 = (-sx * du2) / det,
        m22 = (sy * du1) / det;
      context.save();
      context.beginPath();
      context.rect(a.x - 0.3, a.y - 0.3, sx + 0.6, sy + 0.6);
      context.clip();
      context.transform(m11, m12, m21, m22, a.x - m11 * a.u - m21 * a.v, a.y - m12 * a.u - m22 * a.v);
      context.drawImage(picture, 0, 0);
      context.restore();
    }
  }
}

/** A picture of some frame, as soon as it is here. */
function usePicture(url: string | null): ImageBitmap | null {
  const [held, setHeld] = useState<{ url: string; picture: ImageBitmap } | null>(null);
  useEffect(() => {
    if (url === null) return undefined;
    let current = true;
    void frameCache.get(url).then((picture) => current && picture && setHeld({ url, picture }));
    return () => {
      current = false;
    };
  }, [url]);
  // The last one stays until the next is here, so that nothing flickers.
  return url === null ? null : (held?.picture ?? null);
}

/** Which frame this one is laid against, and where its corners are there. */
function useOther(): { frame: number; corners: PlatePoint[] } | null {
  const { surface, frames, count } = useWork();
  const { frame } = useBench((s) => s.against);
  const here = useBench((s) => s.frame);
  if (!surface || frame === null) return null;
  const other = frame === "reference" ? surface.reference_frame : frame === "before" ? here - 1 : frame;
  const corners = other >= 0 && other < count ? cornersAt(surface, frames, other) : null;
  return corners ? { frame: other, corners } : null;
}

type Part = { x: number; y: number; w: number; h: number };

export function FlatView({ tall }: { tall?: boolean }) {
  const { plate, surface, pixelAspect, firstFrame } = useWork();
  const allShapes = useShapes();
  const allMarks = useMarks();
  const draw = useDrawing();
  const { addSlot } = usePlacing();
  const drawing = useDrafts((s) => s.drawing);
  const { step, overlays, tool, selection } = useBench(useShallow((s) => ({ step: s.step, overlays: s.overlays, tool: s.tool, selection: s.selection })));
  const live = allShapes.corners;
  const late = useDeferredValue(live);
  const [box, size] = useSize();
  const ref = useRef<HTMLCanvasElement>(null);
  const frame = useBench((s) => s.frame);
  const playing = useBench((s) => s.playing !== 0);
  const dragging = useBench((s) => s.dragging);
  // A dragged overlay comes first, this view as soon as there is time; else corners and picture are of one frame.
  const corners = dragging ? late : live;
  const { how } = useBench((s) => s.against);
  const flipped = useBench((s) => s.flipPatch);
  const other = useOther();
  // What is held still lies elsewhere in its picture; the surface itself is the same on the plate.
  const shown = useBench((s) => (s.holdPlate || s.shown === "still" || s.shown === "coverage" || s.shown === "straight" ? "plate" : s.shown));
  const urlOf = useFrameUrl();
  const picture = usePicture(urlOf(shown, frame));
  const otherPicture = usePicture(other ? urlOf(shown, other.frame) : null);

  const margin = 22;
  const reference = surface?.corners?.map(([x, y]) => ({ x: x * pixelAspect, y })) ?? null;
  const aspect = reference ? edgeAspect(reference) : 1;
  const beside = other !== null && how === "beside";
  const room = beside ? (size.width - 2 * margin - 8) / 2 : size.width - 2 * margin;
  const w = Math.max(10, Math.min(room, (size.height - 2 * margin) * aspect));
  const h = w / aspect;
  const x0 = (size.width - (beside ? 2 * w + 8 : w)) / 2;
  const y0 = (size.height - h) / 2;

  useEffect(() => {
    const canvas = ref.current;
    const context = canvas?.getContext("2d");
    if (!canvas || !context || !plate.facts) return;
    const ratio = window.devicePixelRatio;
    canvas.width = Math.round(size.width * ratio);
    canvas.height = Math.round(size.height * ratio);
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.fillStyle = "#2c2c2c";
    context.fillRect(0, 0, size.width, size.height);
    const wide = plate.facts.width;
    const cells = playing ? CELLS_PLAYING : dragging ? CELLS_DRAGGING : CELLS_STILL;
    const patch = (from: ImageBitmap | null, quad: PlatePoint[] | null, part: Part) => {
      if (from && quad) drawFlat(cells, context, from, quad, from.width / wide, part.x, part.y, part.w, part.h);
    };
    const first = { x: x0, y: y0, w, h };
    if (!other) patch(picture, corners, first);
    else if (how === "difference") {
      patch(picture, corners, first);
      context.globalCompositeOperation = "difference";
      patch(otherPicture, other.corners, first);
      context.globalCompositeOperation = "source-over";
      // What differs is faint: eight times brighter.
      context.save();
      context.beginPath();
      context.rect(x0, y0, w, h);
      context.clip();
      context.globalCompositeOperation = "lighter";
      for (let i = 0; i < 3; i++) context.drawImage(canvas, 0, 0, size.width, size.height);
      context.restore();
    } else {
      patch(flipped ? otherPicture : picture, flipped ? other.corners : corners, first);
      patch(otherPicture, other.corners, { ...first, x: x0 + w + 8 });
    }
  }, [corners, dragging, flipped, h, how, other, otherPicture, picture, plate.facts, playing, size, w, x0, y0]);

  // Shapes are drawn and moved here as on the picture; its own corners hold the view and are moved there alone.
  const outlining = step === "outline" && overlays && corners !== null && !flipped && how !== "difference";
  const onFlat = useMemo(() => {
    if (!corners) return null;
    const toPlateUnit = unitSquareTo(corners);
    const toUnit = invert(toPlateUnit);
    return {
      seen: (p: PlatePoint) => {
        const u = apply(toUnit, p);
        return { x: x0 + u.x * w, y: y0 + u.y * h };
      },
      plate: (p: PlatePoint) => apply(toPlateUnit, { x: (p.x - x0) / w, y: (p.y - y0) / h }),
      zoom: w / Math.max(1, distance(corners[0] ?? { x: 0, y: 0 }, corners[1] ?? { x: 0, y: 0 })),
    };
  }, [corners, h, w, x0, y0]);
  const plateOf = (e: PointerEvent) => {
    const r = ref.current?.getBoundingClientRect();
    const at = { x: e.clientX - (r?.left ?? 0), y: e.clientY - (r?.top ?? 0) };
    return onFlat?.plate(at) ?? at;
  };
  const hand = useHand(allShapes, allMarks, plateOf, () => ref.current?.parentElement);
  const dropped = (e: DragEvent) => {
    const slot = e.dataTransfer.getData(SLOT_DRAG);
    if (!slot || !surface?.corners) return;
    e.preventDefault();
    setBench({ step: "place" });
    addSlot(slot);
  };
  const down = (e: PointerEvent) => {
    if (e.button !== 0 || !outlining) return;
    if (tool !== "move") draw.click(plateOf(e), CLOSE_PX / (onFlat?.zoom ?? 1));
    else setBench({ selection: null });
  };

  return (
    <div
      className="flat"
      ref={box}
      data-testid="flat-view"
      data-against={other?.frame ?? ""}
      style={{ height: tall ? "100%" : undefined, cursor: outlining && tool !== "move" ? "crosshair" : "default" }}
      onDragOver={(e) => e.dataTransfer.types.includes(SLOT_DRAG) && e.preventDefault()}
      onDrop={dropped}
      onPointerDown={down}
      onPointerMove={hand.moved}
      onPointerUp={hand.released}
      onPointerCancel={hand.released}
      onDoubleClick={() => outlining && tool !== "move" && draw.finish()}
    >
      <canvas ref={ref} style={{ width: size.width, height: size.height, display: "block" }} />
      {corners ? (
        <svg className="overlay" width={size.width} height={size.height} aria-hidden>
          {[
            [x0, y0],
            [x0 + w, y0],
            [x0 + w, y0 + h],
            [x0, y0 + h],
          ].map(([x = 0, y = 0], i) => (
            <path key={i} d={glyphPath(i, 4.8)} transform={`translate(${x} ${y})`} fill="#f4ecda" stroke="#121414" strokeWidth={1.2} />
          ))}
          {other && beside && (
            <>
              <text x={x0 + w / 2} y={y0 + h + 15} textAnchor="middle" className="tag">
                {(flipped ? other.frame : frame) + firstFrame}
              </text>
              <text x={x0 + 1.5 * w + 8} y={y0 + h + 15} textAnchor="middle" className="tag">
                {other.frame + firstFrame}
              </text>
            </>
          )}
          {other && !beside && (
            <text
              x={x0 + w / 2}
              y={y0 + h + 15}
              textAnchor="middle"
              className="tag"
            >{`${frame + firstFrame} less ${other.frame + firstFrame}, eight times`}</text>
          )}
        </svg>
      ) : (
        <div className="flat-empty quiet">
          {surface?.corners ? "The surface is not followed at this frame." : "Place the four corners to see the surface square-on."}
        </div>
      )}
      {outlining && onFlat && (
        <svg className="flat-shapes" width={size.width} height={size.height} aria-hidden>
          <Overlay
            named="flat-"
            toScreen={onFlat.seen}
            zoom={onFlat.zoom}
            corners={null}
            cornersMovable={false}
            sigmas={null}
            shapes={allShapes.shapes}
            marks={[]}
            marksMovable={false}
            crossing={null}
            drawing={drawing}
            drawingTo={null}
            cursor={null}
            selection={selection}
            faded={dragging}
            edges={false}
            beside={null}
            onGrab={hand.onGrab}
          />
        </svg>
      )}
      {step === "place" && overlays && onFlat && !other && (
        <svg className="flat-shapes passing" width={size.width} height={size.height} aria-hidden>
          <LayoutHandles toView={onFlat.seen} toPlate={(p) => onFlat.plate({ x: p.x, y: p.y })} named="flat-" />
        </svg>
      )}
      {corners && (!outlining || other) && <PatchChoice />}
    </div>
  );
}

const CLOSE_PX = 10;

/** Another frame's patch beside this one, or what differs between both. */
function PatchChoice() {
  const { surface, firstFrame, take } = useWork();
  const against = useBench((s) => s.against);
  if (!surface || !take) return null;
  const options = [
    { value: "none", label: "alone" },
    { value: "reference", label: `reference, ${surface.reference_frame + firstFrame}` },
    { value: "before", label: "frame before" },
    ...surface.held.map((x) => ({ value: String(x.frame), label: `held ${x.frame + firstFrame}` })),
  ];
  const choose = (v: string) => setBench({ against: { ...against, frame: v === "none" ? null : v === "reference" || v === "before" ? v : Number(v) } });
  return (
    <span className="patch-choice" onPointerDown={(e) => e.stopPropagation()}>
      {against.frame !== null && (
        <Tooltip title="Beside each other, or what differs; hold Y to flip">
          <Segmented
            size="small"
            value={against.how}
            data-testid="patch-how"
            options={["beside", "difference"]}
            onChange={(how) => setBench({ against: { ...against, how: how as "beside" | "difference" } })}
          />
        </Tooltip>
      )}
      <Tooltip title="Lay another frame's patch against this one">
        <Select
          size="small"
          variant="borderless"
          popupMatchSelectWidth={150}
          value={against.frame === null ? "none" : String(against.frame)}
          options={options}
          aria-label="patch against"
          data-testid="patch-against"
          onChange={choose}
        />
      </Tooltip>
    </span>
  );
}
