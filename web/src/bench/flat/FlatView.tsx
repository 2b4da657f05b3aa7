/** The surface seen square-on, held still, drawn from the picture by a fine mesh. */
import { useEffect, useRef, useState } from "react";
import { useWork } from "../context";
import { apply, edgeAspect, type PlatePoint, unitSquareTo } from "../model/geometry";
import { glyphPath } from "../../ui/corners";
import { useBench } from "../state";
import { frameCache } from "../viewer/frames";
import { useFrameUrl } from "../viewer/useFrameUrls";
import { useShapes } from "../viewer/useShapes";
import { useSize } from "../viewer/Viewer";

/** Cells of the mesh along each side; fewer while playing, when nobody measures on it. */
const CELLS_STILL = 14;
const CELLS_PLAYING = 4;

function drawFlat(cells: number, context: CanvasRenderingContext2D, picture: ImageBitmap, quad: PlatePoint[], scale: number, x0: number, y0: number, w: number, h: number) {
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
      const du1 = b.u - a.u, dv1 = b.v - a.v, du2 = d.u - a.u, dv2 = d.v - a.v;
      const det = du1 * dv2 - du2 * dv1;
      if (Math.abs(det) < 1e-9) continue;
      const sx = b.x - a.x, sy = d.y - a.y;
      const m11 = (sx * dv2) / det, m12 = (-sy * dv1) / det, m21 = (-sx * du2) / det, m22 = (sy * du1) / det;
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

export function FlatView({ tall }: { tall?: boolean }) {
  const { plate, surface, pixelAspect } = useWork();
  const { corners } = useShapes();
  const [box, size] = useSize();
  const ref = useRef<HTMLCanvasElement>(null);
  const frame = useBench((s) => s.frame);
  const playing = useBench((s) => s.playing !== 0);
  // What is held still lies elsewhere in its picture; the surface itself is the same on the plate.
  const shown = useBench((s) => (s.holdPlate || s.shown === "still" || s.shown === "coverage" ? "plate" : s.shown));
  const urlOf = useFrameUrl();
  const url = urlOf(shown, frame);
  const [picture, setPicture] = useState<ImageBitmap | null>(null);

  useEffect(() => {
    let current = true;
    void frameCache.get(url).then((p) => current && p && setPicture(p));
    return () => {
      current = false;
    };
  }, [url]);

  const margin = 22;
  const reference = surface?.corners?.map(([x, y]) => ({ x: x * pixelAspect, y })) ?? null;
  const aspect = reference ? edgeAspect(reference) : 1;
  const w = Math.max(10, Math.min(size.width - 2 * margin, (size.height - 2 * margin) * aspect));
  const h = w / aspect;
  const x0 = (size.width - w) / 2;
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
    if (picture && corners) drawFlat(playing ? CELLS_PLAYING : CELLS_STILL, context, picture, corners, picture.width / plate.facts.width, x0, y0, w, h);
  }, [corners, h, picture, plate.facts, playing, size, w, x0, y0]);

  return (
    <div className="flat" ref={box} data-testid="flat-view" style={tall ? { height: "100%" } : undefined}>
      <canvas ref={ref} style={{ width: size.width, height: size.height, display: "block" }} />
      {corners ? (
        <svg className="overlay" width={size.width} height={size.height} aria-hidden>
          {[[x0, y0], [x0 + w, y0], [x0 + w, y0 + h], [x0, y0 + h]].map(([x = 0, y = 0], i) => (
            <path key={i} d={glyphPath(i, 4.8)} transform={`translate(${x} ${y})`} fill="#f4ecda" stroke="#121414" strokeWidth={1.2} />
          ))}
        </svg>
      ) : (
        <div className="flat-empty quiet">{surface?.corners ? "The surface is not followed at this frame." : "Place the four corners to see the surface square-on."}</div>
      )}
    </div>
  );
}
