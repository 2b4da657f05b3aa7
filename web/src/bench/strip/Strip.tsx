/** The evidence strip: a row of magnified corners over time for each corner, and a bar of doubt for each frame. */
import { Tooltip } from "antd";
import { type PointerEvent, useEffect, useRef, useState, type WheelEvent } from "react";
import { CORNER_NAMES, CornerGlyph } from "../../ui/corners";
import { useWork } from "../context";
import { goTo, setBench, useBench } from "../state";
import { useSize } from "../viewer/Viewer";
import { Curves } from "./Curves";
import { drawStrip } from "./draw";
import { frameAt, PITCH, type Range, RULER, xOf, zoomRange } from "./layout";

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
      {at?.status === "lost" && <div className="strip-note">Frame {current + firstFrame} is lost. {at.reason}</div>}
    </>
  );
}

export function Strip() {
  const { count, firstFrame, surface, take, frames, followedFrames, document } = useWork();
  const curve = useBench((s) => s.curve);
  const picked = useBench((s) => s.picked);
  const [box, size] = useSize();
  const ref = useRef<HTMLCanvasElement>(null);
  const anchor = useRef(0);
  const selection = useBench((s) => s.selection);
  const [own, setOwn] = useState<Range | null>(null);
  const [arrived, setArrived] = useState(0);
  const range = own && own.last < count ? own : { first: 0, last: Math.max(0, count - 1) };
  const selectedCorner = selection?.kind === "corner" ? selection.corner : null;

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
    drawStrip(context, { width: size.width, height: size.height, range, count, firstFrame, surface, take, frames, followed: followedFrames, picked, spans, selectedCorner }, again);
    return () => cancelAnimationFrame(handle);
    // `arrived` asks for another look once crops have come in.
  }, [arrived, count, curve, document.occluders, firstFrame, followedFrames, frames, picked, range.first, range.last, selectedCorner, size, surface, take]); // eslint-disable-line react-hooks/exhaustive-deps

  const scrub = (e: PointerEvent) => {
    const r = e.currentTarget.getBoundingClientRect();
    const y = e.clientY - r.top;
    const row = Math.floor((y - RULER) / PITCH);
    if (e.type === "pointerdown") {
      e.currentTarget.setPointerCapture(e.pointerId);
      setBench({ playing: 0, selection: row >= 0 && row < 4 && y > RULER && surface?.corners ? { kind: "corner", corner: row } : null });
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
    <footer className="strip" data-testid="strip" data-arrived={arrived}>
      <div className="strip-box" ref={box}>
        {curve && take ? (
          <div onWheel={wheel}><Curves range={range} size={{ width: size.width, height: size.height - 4 }} /></div>
        ) : (
          <canvas ref={ref} style={{ width: size.width, height: size.height, display: "block" }} onPointerDown={scrub} onPointerMove={scrub} onWheel={wheel} />
        )}
        {!(curve && take) && CORNER_NAMES.map((name, i) => (
          <Tooltip key={name} title={`${name} corner; click its row, then nudge with the arrow keys`} placement="right">
            <span className="strip-glyph" style={{ top: RULER + i * PITCH + 10 }}>
              <CornerGlyph corner={i} />
            </span>
          </Tooltip>
        ))}
        {!surface && <div className="strip-empty quiet">A surface's corners appear here over time once it is outlined and tracked.</div>}
        {surface && !take && <div className="strip-empty quiet">Nothing is tracked yet. Outline the region, place the corners, then press T, or B for both directions.</div>}
        <Playhead range={range} width={size.width} />
      </div>
    </footer>
  );
}
