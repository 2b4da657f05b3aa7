/** Inspect: frames that need eyes, worst first; nudges and how far they reach. */
import { Button, InputNumber, Tooltip } from "antd";
import { CornerGlyph } from "../../ui/corners";
import type { Edit } from "../../api/client";
import { useWork } from "../context";
import { setBench, useCalmFrame } from "../state";
import { Fact, Field, Note } from "./parts";

export function Inspect() {
  const { surface, take, frames, edit, firstFrame } = useWork();
  const frame = useCalmFrame();
  if (!surface || !take) return <Note>Track a surface first; what needs eyes is listed here, worst first.</Note>;
  const at = frames?.get(frame);
  const look = take.looks.find((l) => l.frame === frame);
  const here = surface.corrections.filter((c) => c.frame === frame);
  return (
    <div className="rows">
      <div className="row apart">
        <h2>Frame {frame + firstFrame}{look ? " needs eyes" : ""}</h2>
        <Tooltip title="Next frame to look at: N">
          <Button size="small" disabled={take.looks.length === 0}
            onClick={() => {
              const sorted = [...take.looks].sort((a, b) => a.frame - b.frame);
              const next = sorted.find((l) => l.frame > frame) ?? sorted[0];
              if (next) setBench({ frame: next.frame });
            }}>
            Next
          </Button>
        </Tooltip>
      </div>
      {at?.status === "lost" && <Note tone="warn">{at.reason}</Note>}
      {look && at?.status !== "lost" && <Note tone="warn">{look.reason} Choose that corner and nudge it, or draw what covers it in Outline and track again.</Note>}
      {at?.sigma_px && (
        <div className="doubts">
          {at.sigma_px.map((s, i) => (
            <button key={i} className="plain mono" title="Choose this corner, then nudge with the arrow keys" onClick={() => setBench({ selection: { kind: "corner", corner: i } })}>
              <CornerGlyph corner={i} size={9} /> {s.toFixed(2)}
            </button>
          ))}
          <span className="mono quiet">px</span>
        </div>
      )}
      {at?.residual_px !== null && at && <Fact label="Residual" value={`${at.residual_px?.toFixed(3)} px`} />}
      {at && <Fact label="Region used" value={`${Math.round(100 * at.share_used)} %`} />}
      <div className="rule" />
      <Field label="Reach of nudges" hint="Frames over which a nudge fades to its neighbours">
        <InputNumber size="small" min={0} max={500} precision={0} value={surface.reach_frames} suffix="f" aria-label="reach of nudges"
          onChange={(v) => v !== null && void edit({ kind: "set_reach", surface: surface.id, reach_frames: v } as Edit)} />
      </Field>
      {here.map((c) => (
        <div key={c.corner} className="row apart">
          <span className="mono"><CornerGlyph corner={c.corner} size={9} /> {c.dx_px.toFixed(2)}, {c.dy_px.toFixed(2)} px</span>
          <Button size="small" onClick={() => void edit({ kind: "correct_corner", surface: surface.id, correction: { ...c, dx_px: 0, dy_px: 0 } })}>Undo nudge</Button>
        </div>
      ))}
      <Fact label="Nudged frames" value={new Set(surface.corrections.map((c) => c.frame)).size} />
      <div className="rule" />
      <h2>To look at, worst first</h2>
      {take.looks.length === 0 && <Note>Nothing: every followed frame is sure within half a pixel.</Note>}
      <div className="looks" data-testid="looks">
        {take.looks.slice(0, 40).map((l) => (
          <button key={l.frame} className="plain look" onClick={() => setBench({ frame: l.frame })}>
            <span className="mono">{l.frame + firstFrame}</span>
            <span className="quiet small">{l.reason}</span>
          </button>
        ))}
      </div>
    </div>
  );
}
