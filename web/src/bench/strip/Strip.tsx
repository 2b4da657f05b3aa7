/** The evidence strip: a row of magnified corners over time for each corner, and a bar of doubt for each frame. */
import { Tooltip } from "antd";
import { type PointerEvent, useEffect, useMemo, useRef, useState, type WheelEvent } from "react";
import { CORNER_NAMES, CornerGlyph } from "../../ui/corners";
import { useWork } from "../context";
import { regionShapes } from "../model/keyed";
import { goTo, setBench, useBench, useBenchParts } from "../state";
import { useSize } from "../viewer/Viewer";
import { Curves } from "./Curves";
import { drawStrip, type Row } from "./draw";
import { laneHeight, TimeLanes, useLanes } from "./TimeLanes";
import { useEdge } from "./useEdge";
import { usePairs } from "./usePairs";
import { cellsFor, frameAt, type Range, rowAt, rowY, xOf, zoomRange } from "./layout";

/** The frame that is shown: apart from the strip itself, which need not be drawn again for every frame. */
function Playhead({ range, width }: { range: Range; width: number }) {
  const { frames, firstFrame } = useWork();
  const current = useBench((s) => s.frame);
  const at = frames?.get(current);
  if (current < range.first || current > range.last || width < 60) return null;
  return (
    <>
      <svg className="playhead" width="11" style={{ transform: `translateX(${xOf(current, range, width) - 5.5}px)` }} aria-hidden>
        <path d="M0.5 4h10v5l-5 5l-5-5z" fill="#f4ecda" />
        <rect x="4.75" y="12" width="1.5" height="200" fill="#f4ecda" />
      </svg>
      {at?.status === "lost" && (
        <div className="strip-note">
          Frame {current + firstFrame} is lost. {at.reason}
        </div>
      )}
      {at?.first_look && at.status !== "lost" && <div className="strip-note">Frame {current + firstFrame} has had its first look. A closer one follows.</div>}
    </>
  );
}

export function Strip() {
  const { count, firstFrame, surface, take, frames, followedFrames, document } = useWork();
  const curve = useBench((s) => s.curve);
  const { picked, density, cropZoom, holdReference } = useBenchParts("picked", "density", "cropZoom", "holdReference");
  const [box, size] = useSize();
  const ref = useRef<HTMLCanvasElement>(null);
  const anchor = useRef(0);
  const selection = useBench((s) => s.selection);
  const lanes = useLanes(useBench((s) => s.step) === "place" && !curve);
  const laneRoom = lanes.length * laneHeight(lanes.length);
  const [own, setOwn] = useState<Range | null>(null);
  const [arrived, setArrived] = useState(0);
  const range = own && own.last < count ? own : { first: 0, last: Math.max(0, count - 1) };
  const keys = useMemo(() => {
    if (selection?.kind === "mark") return surface?.points.find((p) => p.id === selection.id)?.keys.map((k) => k.frame) ?? [];
    if (selection?.kind !== "points") return [];
    const [kind = "", name = ""] = selection.shape.split(":");
    const shape = kind === "occluder" ? document.occluders.find((o) => o.id === name) : surface ? regionShapes(surface)[Number(name)] : undefined;
    return shape?.keys.map((k) => k.frame) ?? [];
  }, [document.occluders, selection, surface]);
  const mark = selection?.kind === "mark" ? (surface?.points.findIndex((p) => p.id === selection.id) ?? -1) : -1;
  const edge = useEdge(range);
  const pairs = usePairs(range);
  const made = edge ?? pairs;
  const rows = useMemo<Row[]>(
    () =>
      made
        ? [0, 1, 2, 3].map((index): Row => ({ kind: "made", index }))
        : [...[0, 1, 2, 3].map((index): Row => ({ kind: "corner", index })), ...(mark >= 0 ? [{ kind: "point" as const, index: mark }] : [])],
    [made, mark],
  );
  const selected = useMemo<Row | null>(
    () => (selection?.kind === "corner" ? { kind: "corner", index: selection.corner } : mark >= 0 ? { kind: "point", index: mark } : null),
    [mark, selection],
  );
  const cells = useMemo(
    () => cellsFor(density, rows.length, { first: range.first, last: range.last }, size.width),
    [density, range.first, range.last, rows.length, size.width],
  );

  useEffect(() => {
    const canvas = ref.current;
    const context = canvas?.getContext("2d");
    if (!canvas || !context || size.width < 60) return undefined;
    const ratio = window.devicePixelRatio;
    canvas.width = Math.round(size.width * ratio);
    canvas.height = Math.round(size.height * ratio);
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    let handle = 0;
    const again = () => {
      cancelAnimationFrame(handle);
      handle = requestAnimationFrame(() => setArrived((n) => n + 1));
    };
    const spans = document.occluders.map((o) => ({ name: o.name, first: o.span?.[0] ?? 0, last: o.span?.[1] ?? count - 1 }));
    drawStrip(
      context,
      {
        width: size.width,
        height: size.height,
        range,
        count,
        firstFrame,
        surface,
        take,
        frames,
        followed: followedFrames,
        picked,
        spans,
        keys,
        rows,
        selected,
        cells,
        cropZoom,
        holdReference,
        lanes: laneRoom,
        made,
      },
      again,
    );
    return () => cancelAnimationFrame(handle);
    // `arrived` asks for another look once crops have come in; of the range, its ends count.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [
    arrived,
    count,
    curve,
    document.occluders,
    firstFrame,
    followedFrames,
    frames,
    picked,
    range.first,
    range.last,
    selected,
    keys,
    rows,
    cells,
    cropZoom,
    holdReference,
    laneRoom,
    made,
    size,
    surface,
    take,
  ]);

  const scrub = (e: PointerEvent) => {
    const r = e.currentTarget.getBoundingClientRect();
    const y = e.clientY - r.top;
    const row = rowAt(y - laneRoom, rows.length);
    if (e.type === "pointerdown") {
      e.currentTarget.setPointerCapture(e.pointerId);
      setBench({
        playing: 0,
        selection: row >= 0 && row < 4 && surface?.corners && !made ? { kind: "corner", corner: row } : row === 4 && mark >= 0 ? selection : null,
      });
    }
    // With Alt held, a drag picks frames instead of going through them.
    if (e.altKey && e.buttons & 1) {
      const f = frameAt(e.clientX - r.left, range, size.width);
      if (e.type === "pointerdown") anchor.current = f;
      setBench({ picked: [Math.min(anchor.current, f), Math.max(anchor.current, f)] });
      return;
    }
    if (e.buttons & 1) goTo(frameAt(e.clientX - r.left, range, size.width), count);
  };
  const wheel = (e: WheelEvent) => {
    const r = e.currentTarget.getBoundingClientRect();
    const about = frameAt(e.clientX - r.left, range, size.width);
    if (e.shiftKey) {
      const by = Math.round(((e.deltaY || e.deltaX) / 600) * (range.last - range.first + 1));
      const first = Math.min(Math.max(0, range.first + by), count - (range.last - range.first + 1));
      setOwn({ first, last: first + range.last - range.first });
    } else setOwn(zoomRange(range, about, Math.exp(e.deltaY * 0.0016), count));
  };
  return (
    <footer className="strip" data-testid="strip" data-arrived={arrived} data-made={made?.kind} data-told={made?.told}>
      <div className="strip-box" ref={box}>
        {curve && take ? (
          <div onWheel={wheel}>
            <Curves range={range} size={{ width: size.width, height: size.height - 4 }} />
          </div>
        ) : (
          <canvas ref={ref} style={{ width: size.width, height: size.height, display: "block" }} onPointerDown={scrub} onPointerMove={scrub} onWheel={wheel} />
        )}
        {made?.rows.map((said, i) => (
          <Tooltip key={said} title={said} placement="right">
            <span className="strip-glyph mono" style={{ top: laneRoom + rowY(i, rows.length) + cells.height / 2 - 9 }}>
              {i + 1}
            </span>
          </Tooltip>
        ))}
        {made?.asking && (
          <div className="strip-note quiet" data-testid="made-asking">
            {made.asking}
          </div>
        )}
        {!made &&
          !(curve && take) &&
          CORNER_NAMES.map((name, i) => (
            <Tooltip key={name} title={`${name} corner; click its row, then nudge with the arrow keys`} placement="right">
              <span className="strip-glyph" style={{ top: laneRoom + rowY(i, rows.length) + cells.height / 2 - 8 }}>
                <CornerGlyph corner={i} />
              </span>
            </Tooltip>
          ))}
        {!made && !(curve && take) && mark >= 0 && (
          <span className="strip-glyph mono" style={{ top: laneRoom + rowY(4, rows.length) + cells.height / 2 - 9 }}>
            {surface?.points[mark]?.id}
          </span>
        )}
        {!surface && <div className="strip-empty quiet">A surface's corners appear here over time once it is outlined and tracked.</div>}
        {surface && !take && !made && (
          <div className="strip-empty quiet">Nothing is tracked yet. Outline the region, place the corners, then press T, or B for both directions.</div>
        )}
        {lanes.length > 0 && size.width > 60 && <TimeLanes lanes={lanes} range={range} width={size.width} />}
        <Playhead range={range} width={size.width} />
      </div>
    </footer>
  );
}
