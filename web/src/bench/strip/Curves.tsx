/** Curves of the chosen take over time, with a threshold that selects frames. */
import { useEffect, useMemo, useRef } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { CornerGlyph } from "../../ui/corners";
import { useWork } from "../context";
import { CURVES, curveValues, framesAbove, pointValues } from "../model/curves";
import { usePointPath } from "../viewer/usePointPath";
import { goTo, setBench, useBench } from "../state";
import type { Size } from "../viewer/math/view";
import { LABEL, type Range } from "./layout";

const INK = "#a3aba6";
const FONT = '10px "JetBrains Mono Variable", monospace';
const RIGHT = 4;

export function Curves({ range, size }: { range: Range; size: Size }) {
  const { frames, besideFrames, firstFrame, count, surface } = useWork();
  const curve = useBench((s) => s.curve) ?? "doubt";
  const threshold = useBench((s) => s.threshold);
  const picked = useBench((s) => s.picked);
  const box = useRef<HTMLDivElement>(null);
  const lifting = useRef(false);
  const shape = CURVES[curve];

  const path = usePointPath(curve === "point");
  const values = useMemo(
    () => (curve === "point" ? pointValues(path, range) : curveValues(curve, frames, surface, range, besideFrames)),
    [besideFrames, curve, frames, path, range, surface],
  );

  useEffect(() => {
    // The click that ends a drag comes after the button is up.
    const drop = () => window.setTimeout(() => (lifting.current = false), 0);
    window.addEventListener("mouseup", drop);
    return () => window.removeEventListener("mouseup", drop);
  }, []);

  useEffect(() => {
    const node = box.current;
    if (!node || size.width < 80) return undefined;
    const xs = Array.from({ length: range.last - range.first + 1 }, (_, i) => range.first + i);
    const plot = new uPlot(
      {
        width: size.width,
        height: size.height,
        legend: { show: false },
        padding: [8, RIGHT, 0, 0],
        cursor: {
          drag: { x: true, y: false, setScale: false },
          points: { size: 5 },
          bind: {
            // A press on the threshold drags it; anywhere else it picks frames.
            mousedown: (u, _target, handler) => (e) => {
              if (threshold !== null && shape.unit === "px" && Math.abs(u.valToPos(threshold, "y") - e.offsetY) < 6) {
                lifting.current = true;
                return null;
              }
              return handler(e);
            },
          },
        },
        scales: {
          x: { time: false, range: [range.first - 0.5, range.last + 0.5] },
          y: { range: (_u, low, high) => [Math.min(0, (low || 0) * 1.1), Math.max(shape.least, (high || 0) * 1.1)] },
        },
        axes: [
          {
            stroke: INK,
            font: FONT,
            size: 20,
            grid: { stroke: "#2c3030", width: 1 },
            ticks: { show: false },
            values: (_u, ticks) => ticks.map((t) => (Number.isInteger(t) ? String(t + firstFrame) : "")),
          },
          { stroke: INK, font: FONT, size: LABEL, gap: 2, grid: { stroke: "#2c3030", width: 1 }, ticks: { show: false } },
        ],
        series: [
          {},
          ...shape.lines.map((line) => ({
            label: line.name,
            stroke: line.colour,
            width: 1.4,
            dash: line.dash ?? [],
            points: { show: false },
            spanGaps: false,
          })),
        ],
        hooks: {
          setSelect: [
            (u) => {
              if (u.select.width < 3) return;
              const first = Math.max(range.first, Math.round(u.posToVal(u.select.left, "x")));
              const last = Math.min(range.last, Math.round(u.posToVal(u.select.left + u.select.width, "x")));
              setBench({ picked: [first, last] });
            },
          ],
          draw: [
            (u) => {
              const c = u.ctx;
              c.save();
              if (threshold !== null && shape.unit === "px") {
                const y = u.valToPos(threshold, "y", true);
                c.strokeStyle = "#d18c5c";
                c.setLineDash([6, 4]);
                c.beginPath();
                c.moveTo(u.bbox.left, y);
                c.lineTo(u.bbox.left + u.bbox.width, y);
                c.stroke();
              }
              if (picked) {
                const a = u.valToPos(picked[0] - 0.5, "x", true);
                const b = u.valToPos(picked[1] + 0.5, "x", true);
                c.fillStyle = "rgba(98,181,163,.16)";
                c.fillRect(a, u.bbox.top, b - a, u.bbox.height);
              }
              c.restore();
            },
          ],
        },
      },
      [xs, ...values] as uPlot.AlignedData,
      node,
    );
    const over = plot.over;
    const click = (e: MouseEvent) => lifting.current || goTo(Math.round(plot.posToVal(e.offsetX, "x")), count);
    const lift = (e: MouseEvent) => {
      if (!lifting.current) {
        const near = threshold !== null && shape.unit === "px" && Math.abs(plot.valToPos(threshold, "y") - e.offsetY) < 6;
        over.style.cursor = near ? "ns-resize" : "crosshair";
        return;
      }
      setBench({ threshold: Math.max(0.005, Math.round(1000 * plot.posToVal(e.offsetY, "y")) / 1000) });
    };
    over.addEventListener("click", click);
    over.addEventListener("mousemove", lift);
    return () => plot.destroy();
  }, [count, firstFrame, picked, range.first, range.last, shape, size.height, size.width, threshold, values]);

  return (
    <div className="curves" data-testid="curves" data-above={threshold === null ? "" : framesAbove(values, threshold, range).length}>
      <div ref={box} />
      <div className="curves-key">
        <span>
          {shape.label}
          {shape.unit === "px" ? ", px" : ""}
        </span>
        {shape.lines.length > 1 &&
          shape.lines.map((line, i) => (
            <span key={line.name}>
              <CornerGlyph corner={i} size={8} />
              <svg width="26" height="8" aria-hidden>
                <path d="M0 4H26" stroke={line.colour} strokeWidth="1.6" strokeDasharray={line.dash?.join(" ")} />
              </svg>
            </span>
          ))}
      </div>
    </div>
  );
}
