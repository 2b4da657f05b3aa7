/** Outline: the region that moves with the plane, what is cut out, what passes in front, the four corners. */
import { Button, Input, InputNumber, Tooltip } from "antd";
import type { Edit } from "../../api/client";
import { useWork } from "../context";
import { newSurface } from "../depth/DepthLine";
import { apply, at, pair } from "../model/geometry";
import { removePoint } from "../model/polygons";
import { cornersAt, homographyAt } from "../model/shot";
import { setBench, type Tool, useBench, useCalmFrame } from "../state";
import { setDrawing } from "../viewer/useDraft";
import { useShapes } from "../viewer/useShapes";
import { Fact, Field, Note } from "./parts";

const HELP: Record<Tool, string> = {
  move: "",
  include: "Click around what moves with the plane: the surface, its frame, or anything on the same plane. Enter, or a click on the first point, closes it.",
  exclude: "Click around what moves otherwise: running content, reflections. Enter, or a click on the first point, closes it.",
  occluder: "Click around what passes in front, at this frame. Move its points at other frames to set keys there.",
  corners: "Click the corners as seen upright: top-left, top-right, bottom-right, bottom-left. The magnifier shows the exact pixel.",
};

function ToolButton({ tool, label, hint, disabled }: { tool: Tool; label: string; hint: string; disabled?: boolean }) {
  const active = useBench((s) => s.tool === tool);
  return (
    <Tooltip title={hint}>
      <Button size="small" type={active ? "primary" : "default"} disabled={disabled} data-testid={`tool-${tool}`}
        onClick={() => {
          setDrawing([]);
          setBench({ tool: active ? "move" : tool, shown: "plate", wipe: null, overlays: true });
        }}>
        {label}
      </Button>
    </Tooltip>
  );
}

export function Outline() {
  const work = useWork();
  const { document, surface, edit, frames, firstFrame } = work;
  const frame = useCalmFrame();
  const tool = useBench((s) => s.tool);
  const selection = useBench((s) => s.selection);
  const { shapes, commit, remove } = useShapes();
  const removeChosen = (whole: boolean) => {
    if (selection?.kind !== "point") return;
    const points = shapes.find((s) => s.id === selection.shape)?.points;
    if (whole) remove(selection.shape);
    else if (points) commit(selection.shape, removePoint(points, selection.index));
    setBench({ selection: null });
  };

  if (!surface) {
    return (
      <div className="rows">
        <h2>Nothing is outlined yet</h2>
        <Note>Go to the frame where the surface is largest, sharpest and least hidden: that becomes its reference frame.</Note>
        <Button type="primary" data-testid="begin-surface"
          onClick={() => {
            const one = newSurface(work, frame);
            void edit(one).then((ok) => ok && one.kind === "add_surface" && setBench({ surface: one.surface.id }));
          }}>
          Begin a surface at frame {frame + firstFrame}
        </Button>
      </div>
    );
  }
  const atReference = frame === surface.reference_frame;
  const setReference = () => {
    const h = homographyAt(surface, frames, frame);
    const corners = cornersAt(surface, frames, frame);
    const map = (list: number[][][]) => list.map((p) => p.map((q) => (h ? pair(apply(h, at(q)), 1) : q)));
    const region = { ...surface.region, include: map(surface.region.include), exclude: map(surface.region.exclude) };
    void edit({ kind: "set_reference", surface: surface.id, frame, ...(h && corners ? { corners: corners.map((p) => pair(p)), region } : {}) } as Edit);
  };
  const chosenOccluder = selection?.kind === "point" && selection.shape.startsWith("occluder:") ? document.occluders.find((o) => `occluder:${o.id}` === selection.shape) : document.occluders[0];

  return (
    <div className="rows">
      <Field label="Surface">
        <Input size="small" defaultValue={surface.name} key={surface.id + surface.name} style={{ width: 150 }} aria-label="name of the surface"
          onBlur={(e) => e.target.value && e.target.value !== surface.name && void edit({ kind: "rename", target: surface.id, name: e.target.value } as Edit)} />
      </Field>
      <Field label="Reference frame" hint="Where the region and the corners are drawn, and what every frame is compared with">
        <span className="row">
          <button className="plain mono" onClick={() => setBench({ frame: surface.reference_frame })} title="Go there">{surface.reference_frame + firstFrame}</button>
          <Button size="small" disabled={atReference} onClick={setReference} data-testid="set-reference">Use {frame + firstFrame}</Button>
        </span>
      </Field>
      <div className="rule" />
      <h2>Region that is followed</h2>
      <div className="row">
        <ToolButton tool="include" label="Follow" hint="Draw around what moves with the plane" disabled={!atReference} />
        <ToolButton tool="exclude" label="Cut out" hint="Draw around what moves otherwise" disabled={!atReference} />
        <ToolButton tool="occluder" label="In front" hint="Draw around something that passes in front, at this frame" />
      </div>
      <h2>Corners of the surface</h2>
      <div className="row">
        <ToolButton tool="corners" label={surface.corners ? "Place again" : "Place four corners"} hint="Click the corners in order; the new picture is pinned to them" disabled={!atReference} />
        {surface.corners && <span className="quiet small">then drag, or choose with Tab and nudge</span>}
      </div>
      {HELP[tool] && <Note>{HELP[tool]}</Note>}
      {!atReference && <Note tone="warn">Region and corners are drawn at the reference frame, {surface.reference_frame + firstFrame}.</Note>}
      {selection?.kind === "point" && (
        <div className="row">
          <Tooltip title="Delete">
            <Button size="small" onClick={() => removeChosen(false)}>Remove point</Button>
          </Tooltip>
          <Tooltip title="Shift+Delete">
            <Button size="small" onClick={() => removeChosen(true)} data-testid="remove-shape">Remove shape</Button>
          </Tooltip>
        </div>
      )}
      <div className="rule" />
      <Fact label="Followed shapes" value={surface.region.include.length || (surface.corners ? "the surface itself" : 0)} />
      <Fact label="Cut-outs" value={surface.region.exclude.length} />
      {chosenOccluder && (
        <>
          <div className="rule" />
          <Field label="In front">
            <Input size="small" defaultValue={chosenOccluder.name} key={chosenOccluder.id + chosenOccluder.name} style={{ width: 150 }} aria-label="name of what is in front"
              onBlur={(e) => e.target.value && e.target.value !== chosenOccluder.name && void edit({ kind: "rename", target: chosenOccluder.id, name: e.target.value } as Edit)} />
          </Field>
          <Fact label="Keys" value={`${chosenOccluder.keys.length}${chosenOccluder.keys.some((k) => k.frame === frame) ? ", one here" : ""}`} />
          <Field label="There from, to" hint="Frames at which it is in the shot; outside it leaves nothing behind">
            <span className="row">
              {[0, 1].map((end) => (
                <InputNumber key={end} size="small" style={{ width: 66 }} precision={0} aria-label={end ? "last frame" : "first frame"}
                  min={firstFrame} max={firstFrame + work.count - 1} value={(chosenOccluder.span?.[end] ?? (end ? work.count - 1 : 0)) + firstFrame}
                  onChange={(v) => {
                    if (v === null) return;
                    const span: [number, number] = [chosenOccluder.span?.[0] ?? 0, chosenOccluder.span?.[1] ?? work.count - 1];
                    span[end as 0 | 1] = v - firstFrame;
                    if (span[0] <= span[1]) void edit({ kind: "set_occluder", occluder: chosenOccluder.id, feather_px: chosenOccluder.feather_px, span });
                  }} />
              ))}
            </span>
          </Field>
          <Field label="Soft edge">
            <InputNumber size="small" min={0} max={50} step={0.2} value={chosenOccluder.feather_px} suffix="px" aria-label="soft edge"
              onChange={(v) => v !== null && void edit({ kind: "set_occluder", occluder: chosenOccluder.id, feather_px: v, span: chosenOccluder.span ?? null } as Edit)} />
          </Field>
          <Button size="small" onClick={() => void edit({ kind: "remove", target: chosenOccluder.id })}>Remove {chosenOccluder.name}</Button>
        </>
      )}
    </div>
  );
}
