/** Inspect: frames that need eyes, worst first; nudges and how far they reach. */
import { Button, InputNumber, Switch, Tooltip } from "antd";
import { CORNER_GLYPHS, CornerGlyph } from "../../ui/corners";
import type { Edit } from "../../api/client";
import { useWork } from "../context";
import { pair, type PlatePoint } from "../model/geometry";
import { cornersAt } from "../model/shot";
import { setBench, useBench, useCalmFrame } from "../state";
import { useTracking } from "../useTracking";
import { CurveControls } from "./CurveControls";
import { Disagreements } from "./Disagreements";
import { MOTIONS } from "./motions";
import { cameraLines, softnessLines } from "../model/seen";
import { Felt } from "./Felt";
import { Fact, Field, Note } from "./parts";
import { PointSet } from "./PointSet";
import { Remaining } from "./Remaining";

export function Inspect() {
  const { surface, take, frames, edit, firstFrame } = useWork();
  const frame = useCalmFrame();
  const holdRaw = useBench((s) => s.holdRaw);
  const { again, start, job } = useTracking();
  if (!surface || !take) return <Note>Track a surface first; what needs eyes is listed here, worst first.</Note>;
  const at = frames?.get(frame);
  const look = take.looks.find((l) => l.frame === frame);
  const worst = at?.sigma_px ? at.sigma_px.indexOf(Math.max(...at.sigma_px)) : -1;
  const corners = cornersAt(surface, frames, frame);
  const held = surface.held.some((h) => h.frame === frame);
  const hold = (points: PlatePoint[] | null) =>
    void edit({ kind: "hold_frame", surface: surface.id, frame, corners: points ? points.map((p) => pair(p)) : null } as Edit);
  const mending = (change: { smoothing?: number; carry?: boolean }) =>
    ({
      kind: "set_mending",
      surface: surface.id,
      smoothing: surface.smoothing,
      carry: surface.carry,
      left_out: surface.left_out,
      calmed: surface.calmed,
      ...change,
    }) as Edit;
  const mend = (change: { smoothing?: number; carry?: boolean }) => void edit(mending(change));
  const simpler = MOTIONS[MOTIONS.findIndex((m) => m.value === surface.motion) - 1];
  const here = surface.corrections.filter((c) => c.frame === frame);
  return (
    <div className="rows">
      <div className="row apart">
        <h2>
          Frame {frame + firstFrame}
          {look ? " needs eyes" : ""}
        </h2>
        <Tooltip title="Next frame to look at: N">
          <Button
            size="small"
            disabled={take.looks.length === 0}
            onClick={() => {
              const sorted = [...take.looks].sort((a, b) => a.frame - b.frame);
              const next = sorted.find((l) => l.frame > frame) ?? sorted[0];
              if (next) setBench({ frame: next.frame });
            }}
          >
            Next
          </Button>
        </Tooltip>
      </div>
      {at?.status === "lost" && <Note tone="warn">{at.reason}</Note>}
      {look && at?.status !== "lost" && <Note tone="warn">{look.reason}</Note>}
      {look && (
        <div className="row wrap" data-testid="remedies">
          {worst >= 0 && (
            <Button size="small" onClick={() => setBench({ selection: { kind: "corner", corner: worst } })}>
              Nudge the {CORNER_GLYPHS[worst]}
            </Button>
          )}
          <Tooltip title="Follow this frame once more from those beside it: A">
            <Button size="small" disabled={!!job} onClick={() => void again([frame, frame])}>
              Follow it again
            </Button>
          </Tooltip>
          {at?.status === "lost" && !surface.carry && (
            <Tooltip title="The movement before and after carries the corners over lost frames, with doubt that grows">
              <Button size="small" onClick={() => mend({ carry: true })}>
                Let the others carry it
              </Button>
            </Tooltip>
          )}
          {simpler && (
            <Tooltip title={`Follow it with ${simpler.label} instead: a new take, this one is kept`}>
              <Button
                size="small"
                disabled={!!job}
                onClick={() => void edit({ kind: "set_motion", surface: surface.id, motion: simpler.value } as Edit).then((ok) => ok && start("both"))}
              >
                Simpler motion
              </Button>
            </Tooltip>
          )}
          <Tooltip title="Draw what covers it, or cut out what runs, then track again">
            <Button size="small" onClick={() => setBench({ step: "outline" })}>
              Outline what disturbs
            </Button>
          </Tooltip>
        </div>
      )}
      {at?.sigma_px && (
        <div className="doubts">
          {at.sigma_px.map((s, i) => (
            <button
              key={i}
              className="plain mono"
              title="Choose this corner, then nudge with the arrow keys"
              onClick={() => setBench({ selection: { kind: "corner", corner: i } })}
            >
              <CornerGlyph corner={i} size={9} /> {s.toFixed(2)}
            </button>
          ))}
          <span className="mono quiet">px</span>
        </div>
      )}
      {at?.residual_px !== null && at && (
        <Fact label="Residual" hint="Disagreement of the picture with what it is compared with, as a shift" value={`${at.residual_px?.toFixed(3)} px`} />
      )}
      {at && at.margin_px !== null && at.status === "followed" && (
        <Fact
          label="Margin"
          hint="How far the worst corner would move if surface and lens were allowed to bend: lens, rows or shape left over"
          value={`${at.margin_px.toFixed(3)} px`}
        />
      )}
      {at && at.through !== null && at.status === "followed" && (
        <Fact
          label="Compared with"
          hint="The reference frame does not look like the plane here, so this frame of the run took its place; its doubt is part of the doubt"
          value={`frame ${at.through + firstFrame}`}
        />
      )}
      {at?.status === "followed" && softnessLines(at).map(([label, value]) => <Fact key={label} label={label} value={value} />)}
      {at && (
        <Fact
          label="Region compared"
          hint="How much of the region was seen and agreed. Covered parts lower it; the frame can still be sure"
          value={`${Math.round(100 * at.share_used)} %`}
        />
      )}
      <div className="row wrap">
        <Disagreements />
        <Remaining />
      </div>
      <PointSet />
      <div className="rule" />
      <CurveControls />
      <div className="rule" />
      <Field label="Reach of nudges" hint="Frames over which a nudge fades to its neighbours">
        <InputNumber
          size="small"
          min={0}
          max={500}
          precision={0}
          value={surface.reach_frames}
          suffix="f"
          aria-label="reach of nudges"
          onChange={(v) => v !== null && void edit({ kind: "set_reach", surface: surface.id, reach_frames: v } as Edit)}
        />
      </Field>
      {here.map((c) => (
        <div key={c.corner} className="row apart">
          <span className="mono">
            <CornerGlyph corner={c.corner} size={9} /> {c.dx_px.toFixed(2)}, {c.dy_px.toFixed(2)} px
          </span>
          <Button size="small" onClick={() => void edit({ kind: "nudge_corner", surface: surface.id, correction: { ...c, dx_px: 0, dy_px: 0 } })}>
            Undo nudge
          </Button>
        </div>
      ))}
      <Fact label="Nudged frames" value={new Set(surface.corrections.map((c) => c.frame)).size} />
      {(surface.corrections.length > 0 ||
        surface.held.length > 0 ||
        surface.smoothing > 0 ||
        surface.carry ||
        surface.left_out.length > 0 ||
        surface.calmed.length > 0) && (
        <Field label="Before mending" hint="Corners as they were followed: hold Z">
          <Switch size="small" checked={holdRaw} aria-label="show corners as they were followed" onChange={(on) => setBench({ holdRaw: on })} />
        </Field>
      )}
      <div className="rule" />
      {take.mended && <Note>This take came in calmed, held and carried already. Follow again to change that.</Note>}
      <div className="row apart">
        <Tooltip title="Keeps these corners exactly; between held frames the picture decides the shape, the hand decides the ends: H">
          <Button
            size="small"
            disabled={!corners || take.mended || frame === surface.reference_frame}
            data-testid="hold-frame"
            onClick={() => hold(held ? null : corners)}
          >
            {held ? "Let this frame go" : "Hold these corners"}
          </Button>
        </Tooltip>
        <span className="quiet small">
          {surface.held.length === 0 ? "no frame is held" : `held: ${surface.held.map((h) => h.frame + firstFrame).join(", ")}`}
        </span>
      </div>
      <Felt
        label="Calm"
        hint="Sure frames hardly move, unsure ones follow the movement. 0 leaves the track, 1 weighs doubt as stated"
        name="calm"
        min={0}
        max={100}
        felt={10}
        step={0.5}
        disabled={take.mended}
        value={surface.smoothing}
        edit={(v) => mending({ smoothing: v })}
      />
      <Field label="Carry lost frames" hint="By the movement around them, also beyond the picture's edges; doubt grows with the distance">
        <Switch size="small" disabled={take.mended} checked={surface.carry} aria-label="carry lost frames" onChange={(carry) => mend({ carry })} />
      </Field>
      {cameraLines(take.camera).length > 0 && (
        <>
          <div className="rule" />
          <Tooltip title="Found while following; artwork and its edges are bent alike" placement="left">
            <h2>The camera, as found</h2>
          </Tooltip>
          {cameraLines(take.camera).map(([label, value]) => (
            <Fact key={label} label={label} value={value} />
          ))}
        </>
      )}
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
