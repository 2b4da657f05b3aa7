/** Outline: the region that moves with the plane, what is cut out, what passes in front, corners, points, the lens. */
import { Button, Collapse, Input, Segmented, Switch, Tooltip } from "antd";
import { useState } from "react";
import type { Edit } from "../../api/client";
import { CORNER_GLYPHS } from "../../ui/corners";
import { useWork } from "../context";
import { newSurface } from "../depth/DepthLine";
import { pair } from "../model/geometry";
import { regionShapes, shapesAt } from "../model/keyed";
import { moveSome } from "../model/polygons";
import { cornersAt, homographyAt } from "../model/shot";
import { setBench, type Tool, useBench, useBenchParts, useCalmFrame } from "../state";
import { useCrossing } from "../viewer/useCrossing";
import { useShapes } from "../viewer/useShapes";
import { ChosenShape } from "./outline/ChosenShape";
import { EdgeCheck } from "./outline/EdgeCheck";
import { LensControls } from "./outline/LensControls";
import { PointControls } from "./outline/PointControls";
import { ReferenceAdvice } from "./outline/ReferenceAdvice";
import { ToolButton } from "./outline/ToolButton";
import { Fact, Field, Note } from "./parts";

const HELP: Partial<Record<Tool, string>> = {
  include: "Click around what moves with the plane: the surface, its frame, or anything on the same plane. Enter, or a click on the first point, closes it.",
  exclude: "Click around what moves otherwise: running content, reflections. Enter, or a click on the first point, closes it.",
  occluder: "Click around what passes in front, at this frame. Move its points at other frames to set keys there.",
  corners: "Click the corners as seen upright: top-left, top-right, bottom-right, bottom-left. The magnifier shows the exact pixel.",
  point: "Click something small and distinct: a screw, a printed mark, the corner of a letter.",
  line: "Click three points or more along an edge that is straight in the world. Enter ends the line; Esc puts the tool down.",
};

function Snap() {
  const { corners, commit } = useShapes();
  const selection = useBench((s) => s.selection);
  const offer = useCrossing(corners, true);
  if (selection?.kind !== "corner" || !corners) return null;
  const at = corners[selection.corner];
  if (!offer || !at) return <Note>Nothing to snap the {CORNER_GLYPHS[selection.corner]} to: no edges cross near it, or it is on the crossing.</Note>;
  return (
    <div className="row apart" data-testid="snap-offer">
      <Note>
        Edges cross {offer.away.toFixed(2)} px from the {CORNER_GLYPHS[selection.corner]}, give or take {offer.sigma.toFixed(2)}.
      </Note>
      <Tooltip title="Move the corner onto the crossing: S">
        <Button size="small" onClick={() => commit("corners", moveSome(corners, [selection.corner], offer.at.x - at.x, offer.at.y - at.y))}>
          Snap
        </Button>
      </Tooltip>
    </div>
  );
}

export function Outline() {
  const work = useWork();
  const { document, surface, edit, frames, firstFrame } = work;
  const frame = useCalmFrame();
  const { tool, selection, outline, edges } = useBenchParts("tool", "selection", "outline", "edges");
  const { shapes } = useShapes(false);
  const [open, setOpen] = useState<string[]>([]);
  // A section opens by itself when its tool is taken in hand.
  const wanted = tool === "point" || selection?.kind === "mark" ? "points" : tool === "line" ? "lens" : null;
  if (wanted && !open.includes(wanted)) setOpen([...open, wanted]);

  if (!surface) {
    return (
      <div className="rows">
        <h2>Nothing is outlined yet</h2>
        <Note>Go to the frame where the surface is largest, sharpest and least hidden: that becomes its reference frame.</Note>
        <ReferenceAdvice />
        <Button
          type="primary"
          data-testid="begin-surface"
          onClick={() => {
            const one = newSurface(work, frame);
            void edit(one).then((ok) => ok && one.kind === "add_surface" && setBench({ surface: one.surface.id }));
          }}
        >
          Begin a surface at frame {frame + firstFrame}
        </Button>
      </div>
    );
  }
  const atReference = frame === surface.reference_frame;
  const setReference = () => {
    const corners = cornersAt(surface, frames, frame);
    const region = { include: [], exclude: [], shapes: shapesAt(regionShapes(surface), frame, (f) => homographyAt(surface, frames, f)) };
    void edit({ kind: "set_reference", surface: surface.id, frame, ...(corners ? { corners: corners.map((p) => pair(p)), region } : {}) } as Edit);
  };
  const shape = selection?.kind === "points" ? shapes.find((s) => s.id === selection.shape) : undefined;
  const occluder = shape?.kind === "occluder" ? document.occluders.find((o) => `occluder:${o.id}` === shape.id) : undefined;
  const followed = regionShapes(surface).filter((s) => s.role === "include").length;

  return (
    <div className="rows">
      <Field label="Surface">
        <span className="row">
          <Input
            size="small"
            defaultValue={surface.name}
            key={surface.id + surface.name}
            style={{ width: 118 }}
            aria-label="name of the surface"
            onBlur={(e) => e.target.value && e.target.value !== surface.name && void edit({ kind: "rename", target: surface.id, name: e.target.value } as Edit)}
          />
          <Tooltip title="Takes the surface out of the shot, with what is placed on it. Undo brings it back">
            <Button
              size="small"
              data-testid="remove-surface"
              onClick={() => {
                setBench({ selection: null, tool: "move" });
                void edit({ kind: "remove", target: surface.id });
              }}
            >
              Remove
            </Button>
          </Tooltip>
        </span>
      </Field>
      <Field label="Reference frame" hint="Where the corners are placed, and what every frame is compared with">
        <span className="row">
          <button className="plain mono" onClick={() => setBench({ frame: surface.reference_frame })} title="Go there">
            {surface.reference_frame + firstFrame}
          </button>
          <Button size="small" disabled={atReference} onClick={setReference} data-testid="set-reference">
            Use {frame + firstFrame}
          </Button>
        </span>
      </Field>
      <ReferenceAdvice />
      <div className="rule" />
      <div className="row apart">
        <h2>Shapes</h2>
        <Tooltip title="How new shapes are drawn">
          <Segmented
            size="small"
            value={outline}
            options={["straight", "smooth"]}
            data-testid="new-line"
            onChange={(v) => setBench({ outline: v as "straight" | "smooth" })}
          />
        </Tooltip>
      </div>
      <div className="row">
        <ToolButton tool="include" label="Follow" hint="Draw around what moves with the plane: I" />
        <ToolButton tool="exclude" label="Cut out" hint="Draw around what moves otherwise: E" />
        <ToolButton tool="occluder" label="In front" hint="Draw around something that passes in front, at this frame: W" />
      </div>
      {HELP[tool] && <Note>{HELP[tool]}</Note>}
      {shape && <ChosenShape shape={shape} />}
      {occluder && (
        <Field label="Name">
          <Input
            size="small"
            defaultValue={occluder.name}
            key={occluder.id + occluder.name}
            style={{ width: 150 }}
            aria-label="name of what is in front"
            onBlur={(e) =>
              e.target.value && e.target.value !== occluder.name && void edit({ kind: "rename", target: occluder.id, name: e.target.value } as Edit)
            }
          />
        </Field>
      )}
      {!shape && (
        <>
          <Fact label="Followed shapes" value={followed || (surface.corners ? "the surface itself" : 0)} />
          <Fact label="Cut-outs" value={regionShapes(surface).length - followed} />
        </>
      )}
      <div className="rule" />
      <h2>Corners</h2>
      <div className="row apart">
        <ToolButton
          tool="corners"
          label={surface.corners ? "Place again" : "Place four corners"}
          hint="Click the corners in order; the new picture is pinned to them: P"
        />
        <Tooltip title="The plate along the edges, laid straight: gaps show">
          <span className="row quiet small">
            Edges <Switch size="small" checked={edges} disabled={!surface.corners} aria-label="show the edges" onChange={(on) => setBench({ edges: on })} />
          </span>
        </Tooltip>
      </div>
      {!atReference && <Note>Corners move at the reference frame, {surface.reference_frame + firstFrame}; elsewhere, nudge them in Inspect.</Note>}
      {atReference && <Snap />}
      {edges && <EdgeCheck />}
      <div className="rule" />
      <Collapse
        ghost
        size="small"
        className="sections"
        activeKey={open}
        onChange={(keys) => setOpen([keys].flat())}
        items={[
          { key: "points", label: <span>Single points{surface.points.length ? ` (${surface.points.length})` : ""}</span>, children: <PointControls /> },
          {
            key: "lens",
            label: (
              <span>
                Lens:{" "}
                {document.lens.mode === "given"
                  ? `k1 ${document.lens.k1.toFixed(3)}`
                  : document.lens.mode === "none"
                    ? "without distortion"
                    : "found by itself"}
              </span>
            ),
            children: <LensControls />,
          },
        ]}
      />
    </div>
  );
}
