/** Which frame to draw on: size, sharpness and hidden share of every frame as a small curve. */
import { useQuery } from "@tanstack/react-query";
import { Button, Tooltip } from "antd";
import { useEffect, useRef, useState } from "react";
import uPlot from "uplot";
import "uplot/dist/uPlot.min.css";
import { api, data, type FrameWorth } from "../../../api/client";
import { useWork } from "../../context";
import { goTo } from "../../state";
import { Note } from "../parts";

const LINES = [
  { field: "worth", label: "worth", colour: "#62b5a3", dash: [] as number[], width: 2 },
  { field: "size", label: "size", colour: "#f4ecda", dash: [6, 3], width: 1.2 },
  { field: "sharpness", label: "sharp", colour: "#a3aba6", dash: [2, 3], width: 1.2 },
  { field: "hidden", label: "hidden", colour: "#d18c5c", dash: [8, 3, 2, 3], width: 1.2 },
] as const;

function scaled(rows: FrameWorth[]): (number | null)[][] {
  const most = (values: (number | null)[]) => Math.max(1e-9, ...values.map((v) => v ?? 0));
  const size = rows.map((r) => r.size_px);
  const sharp = rows.map((r) => r.sharpness);
  return [rows.map((r) => r.worth), size.map((v) => (v === null ? null : v / most(size))), sharp.map((v) => v / most(sharp)), rows.map((r) => r.hidden)];
}

function Curve({ rows }: { rows: FrameWorth[] }) {
  const { firstFrame, count } = useWork();
  const box = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const node = box.current;
    if (!node) return undefined;
    const plot = new uPlot(
      {
        width: node.clientWidth,
        height: 92,
        legend: { show: false },
        padding: [6, 4, 0, 4],
        cursor: { drag: { x: false, y: false }, points: { size: 5 } },
        scales: { x: { time: false }, y: { range: [0, 1.05] } },
        axes: [
          {
            stroke: "#a3aba6",
            font: '10px "JetBrains Mono Variable", monospace',
            size: 18,
            grid: { show: false },
            ticks: { show: false },
            values: (_u, ticks) => ticks.map((t) => (Number.isInteger(t) ? String(t + firstFrame) : "")),
          },
          { show: false },
        ],
        series: [{}, ...LINES.map((l) => ({ stroke: l.colour, width: l.width, dash: [...l.dash], points: { show: false } }))],
      },
      [rows.map((r) => r.frame), ...scaled(rows)] as uPlot.AlignedData,
      node,
    );
    const click = (e: MouseEvent) => goTo(Math.round(plot.posToVal(e.offsetX, "x")), count);
    plot.over.addEventListener("click", click);
    return () => plot.destroy();
  }, [count, firstFrame, rows]);
  return <div ref={box} className="curves" />;
}

export function ReferenceAdvice() {
  const { shot, surface, take, firstFrame, count } = useWork();
  const [asked, setAsked] = useState(false);
  const advice = useQuery({
    queryKey: ["references", shot.id, surface?.id, take?.id, take?.followed],
    enabled: asked,
    staleTime: Infinity,
    retry: false,
    queryFn: async () =>
      data<FrameWorth[]>(
        await api.GET("/api/shots/{shot_id}/references", { params: { path: { shot_id: shot.id }, query: surface ? { surface: surface.id } : {} } }),
      ),
  });
  if (!asked || advice.isFetching) {
    return (
      <Tooltip title="Looks at every frame: how large, sharp and free the surface is">
        <Button size="small" loading={advice.isFetching} onClick={() => setAsked(true)} data-testid="ask-reference">
          Which frame to draw on?
        </Button>
      </Tooltip>
    );
  }
  if (advice.error) return <Note tone="warn">{advice.error.message}</Note>;
  const rows = advice.data ?? [];
  const best = rows.reduce<FrameWorth | null>((a, b) => (a && a.worth >= b.worth ? a : b), null);
  if (!best) return null;
  const own = surface ? rows.find((r) => r.frame === surface.reference_frame) : null;
  return (
    <div className="rows" data-testid="reference-advice">
      <Curve rows={rows} />
      <div className="legend">
        {LINES.map((l) => (
          <span key={l.field}>
            <svg width="18" height="6" aria-hidden>
              <path d="M0 3H18" stroke={l.colour} strokeWidth={l.width} strokeDasharray={l.dash.join(" ")} />
            </svg>{" "}
            {l.label}
          </span>
        ))}
      </div>
      <div className="row apart">
        <Note>
          Frame {best.frame + firstFrame} serves best.
          {own && own.frame !== best.frame
            ? ` ${surface?.reference_frame !== undefined ? surface.reference_frame + firstFrame : ""} has ${Math.round(100 * own.worth)} % of its worth.`
            : ""}
          {rows.every((r) => r.size_px === null) ? " Size is not known before the surface is followed." : ""}
        </Note>
        <Button size="small" onClick={() => goTo(best.frame, count)}>
          Go there
        </Button>
      </div>
    </div>
  );
}
