/** Corners, shapes, points and their handles over the picture. Shapes tell kinds apart, not colour alone. */
import { memo, type PointerEvent } from "react";
import { CORNER_NAMES, glyphPath } from "../../ui/corners";
import type { PlatePoint, ScreenPoint } from "../model/geometry";
import { edgesOf, type LensTerms } from "../model/lens";
import type { Mark } from "../model/marks";
import { boxCorners, boxOf, midpoint } from "../model/polygons";
import type { Selection } from "../state";
import { type Grab, path } from "./grab";
import { MarkView } from "./MarkView";
import type { Shape } from "./useShapes";

type Props = {
  toScreen: (p: PlatePoint) => ScreenPoint;
  zoom: number;
  corners: PlatePoint[] | null;
  cornersMovable: boolean;
  sigmas: readonly number[] | null;
  shapes: Shape[];
  marks: Mark[];
  marksMovable: boolean;
  drawing: PlatePoint[];
  drawingTo: PlatePoint | null;
  /** The drawing hand, when the keys move it. */
  cursor: PlatePoint | null;
  selection: Selection;
  faded: boolean;
  /** The surface's outline is left out over a result, where its edges are what people look at. */
  edges: boolean;
  /** What bends the edges between corners; null where they are straight. */
  lens?: LensTerms | null;
  /** Corners of a take laid beside the chosen one. */
  beside: PlatePoint[] | null;
  /** Where edges of the picture cross near the chosen corner: offered, not taken. */
  crossing: PlatePoint | null;
  onGrab: (e: PointerEvent, grab: Grab) => void;
  /** What the names of its parts begin with, where another view shows the same. */
  named?: string;
};

const STITCH = {
  include: { stroke: "#62b5a3", dash: "7 4" },
  exclude: { stroke: "#d18c5c", dash: "7 4" },
  occluder: { stroke: "#d18c5c", dash: "" },
  matte: { stroke: "#f4ecda", dash: "" },
  sample: { stroke: "#f4ecda", dash: "2 3" },
};

type Touch = Pick<Props, "toScreen" | "onGrab"> & { named: string };

function ScaleBox({ shape, indices, toScreen, onGrab, named }: Touch & { shape: Shape; indices: number[] }) {
  const box = boxOf(shape.points, indices);
  if (!box) return null;
  const at = boxCorners(box).map(toScreen);
  const out = 18;
  const placed = at.map((p, i) => ({ x: p.x + (i === 0 || i === 3 ? -out : out), y: p.y + (i < 2 ? -out : out) }));
  return (
    <g data-testid={`${named}scale-box`}>
      <path d={path(placed)} fill="none" stroke="#f4ecda" strokeOpacity={0.7} strokeDasharray="1 4" pointerEvents="none" />
      {placed.map((p, i) => (
        <g
          key={i}
          style={{ cursor: i % 2 ? "nesw-resize" : "nwse-resize" }}
          onPointerDown={(e) => onGrab(e, { kind: "scale", shape: shape.id, handle: i })}
          data-testid={`${named}scale-${i}`}
        >
          <rect x={p.x - 9} y={p.y - 9} width={18} height={18} fill="transparent" />
          <path d={`M${p.x} ${p.y - 5}L${p.x + 5} ${p.y}L${p.x} ${p.y + 5}L${p.x - 5} ${p.y}Z`} fill="#1e2020" stroke="#f4ecda" strokeWidth={1.4} />
          <title>Drag to scale; with Shift freely</title>
        </g>
      ))}
    </g>
  );
}

/** Drawn again only when it changes itself: others stay while one is dragged. */
const ShapeView = memo(function ShapeView({ shape, chosen, toScreen, onGrab, named }: Touch & { shape: Shape; chosen: number[] | null }) {
  const at = shape.points.map(toScreen);
  const { stroke, dash } = STITCH[shape.kind];
  const d = path(shape.line.map(toScreen));
  const fill = shape.kind === "exclude" ? "url(#crossed)" : shape.kind === "occluder" ? "url(#slanted)" : "none";
  return (
    <g data-testid={`${named}shape-${shape.id}`} data-points={shape.points.length} data-smooth={shape.smooth}>
      <path d={d} fill={fill} stroke="rgba(18,20,20,.55)" strokeWidth={shape.kind === "occluder" ? 6 : 3.5} pointerEvents="none" />
      <path d={d} fill="none" stroke={stroke} strokeWidth={shape.kind === "occluder" ? 4.6 : 1.6} strokeDasharray={dash} pointerEvents="none" />
      {shape.kind === "occluder" && <path d={d} fill="none" stroke="#1e2020" strokeWidth={1.8} pointerEvents="none" />}
      {shape.editable && (
        <>
          <path
            d={d}
            fill="none"
            stroke="transparent"
            strokeWidth={11}
            style={{ cursor: "move" }}
            pointerEvents="stroke"
            onPointerDown={(e) => onGrab(e, { kind: "shape", shape: shape.id })}
          >
            <title>{shape.name}: drag to move it; a click chooses all its points</title>
          </path>
          {at.map((_, i) => {
            const m = toScreen(midpoint(shape.points, i));
            const next = at[(i + 1) % at.length];
            if (!next || Math.hypot((at[i]?.x ?? 0) - next.x, (at[i]?.y ?? 0) - next.y) < 26) return null;
            return (
              <g
                key={`m${i}`}
                style={{ cursor: "copy" }}
                onPointerDown={(e) => onGrab(e, { kind: "insert", shape: shape.id, index: i })}
                data-testid={`${named}insert-${shape.id}-${i}`}
              >
                <circle cx={m.x} cy={m.y} r={8} fill="transparent" />
                <path d={`M${m.x - 3.5} ${m.y}H${m.x + 3.5}M${m.x} ${m.y - 3.5}V${m.y + 3.5}`} stroke={stroke} strokeWidth={1.4} />
                <title>Drag to put in a point</title>
              </g>
            );
          })}
          {at.map((p, i) => {
            const picked = chosen?.includes(i) ?? false;
            return (
              <g
                key={i}
                style={{ cursor: "grab" }}
                onPointerDown={(e) => onGrab(e, { kind: "point", shape: shape.id, index: i })}
                data-testid={`${named}point-${shape.id}-${i}`}
                data-picked={picked}
              >
                <circle cx={p.x} cy={p.y} r={9} fill="transparent" />
                <circle cx={p.x} cy={p.y} r={picked ? 5 : 3.4} fill={stroke} stroke={picked ? "#f4ecda" : "#121414"} strokeWidth={picked ? 2.2 : 1} />
                <title>{shape.name}: drag the point; Shift and a click chooses several; Delete takes them away</title>
              </g>
            );
          })}
          {chosen && <ScaleBox shape={shape} indices={chosen} toScreen={toScreen} onGrab={onGrab} named={named} />}
        </>
      )}
    </g>
  );
});

function Corners({ corners, props }: { corners: PlatePoint[]; props: Props }) {
  const { toScreen, sigmas, zoom, selection, cornersMovable, onGrab } = props;
  const at = corners.map(toScreen);
  const d = path(edgesOf(props.lens ?? null, corners).map(toScreen));
  return (
    <g data-testid="corners">
      {props.edges && <path d={d} fill="none" stroke="rgba(18,20,20,.6)" strokeWidth={3.4} pointerEvents="none" />}
      {props.edges && <path d={d} fill="none" stroke="#f4ecda" strokeWidth={1.4} pointerEvents="none" />}
      {at.map((p, i) => {
        const chosen = selection?.kind === "corner" && selection.corner === i;
        const sigma = sigmas?.[i] ?? 0;
        return (
          <g
            key={i}
            transform={`translate(${p.x} ${p.y})`}
            style={{ cursor: cornersMovable ? "grab" : "default" }}
            data-testid={`corner-${i}`}
            onPointerDown={cornersMovable ? (e) => onGrab(e, { kind: "corner", corner: i }) : undefined}
          >
            <circle r={12} fill="transparent" />
            {props.edges && (
              <circle r={Math.max(9, Math.min(120, 10 * sigma * zoom))} fill="none" stroke="#f4ecda" strokeOpacity={0.75} strokeDasharray="2 2.5" />
            )}
            <path d={glyphPath(i, chosen ? 6.2 : 4.8)} fill={chosen ? "#62b5a3" : "#f4ecda"} stroke="#121414" strokeWidth={1.2} />
            <title>
              {CORNER_NAMES[i]} corner{sigma ? `, doubt ${sigma.toFixed(2)} px` : ""}
            </title>
          </g>
        );
      })}
    </g>
  );
}

function Crossing({ at }: { at: ScreenPoint }) {
  const d = `M${at.x - 13} ${at.y}H${at.x - 4}M${at.x + 4} ${at.y}H${at.x + 13}M${at.x} ${at.y - 13}V${at.y - 4}M${at.x} ${at.y + 4}V${at.y + 13}`;
  return (
    <g pointerEvents="none" data-testid="crossing">
      <path d={d} stroke="#121414" strokeWidth={4} strokeOpacity={0.6} />
      <path d={d} stroke="#d18c5c" strokeWidth={1.8} />
    </g>
  );
}

function Hand({ at }: { at: ScreenPoint }) {
  const d = `M${at.x - 11} ${at.y}h22M${at.x} ${at.y - 11}v22`;
  return (
    <g pointerEvents="none" data-testid="hand">
      <path d={d} stroke="#121414" strokeWidth={3.4} strokeOpacity={0.6} />
      <path d={d} stroke="#f4ecda" strokeWidth={1.3} />
    </g>
  );
}

export function Overlay(props: Props) {
  const { drawing, drawingTo, toScreen, corners, shapes, faded, selection } = props;
  const line = [...drawing, ...(drawingTo ? [drawingTo] : [])].map(toScreen);
  return (
    <g opacity={faded ? 0.35 : 1}>
      {shapes.map((s) => (
        <ShapeView
          key={s.id}
          named={props.named ?? ""}
          shape={s}
          toScreen={toScreen}
          onGrab={props.onGrab}
          chosen={selection?.kind === "points" && selection.shape === s.id ? selection.indices : null}
        />
      ))}
      {props.beside && (
        <path
          d={path(props.beside.map(toScreen))}
          fill="none"
          stroke="#f4ecda"
          strokeWidth={1.2}
          strokeDasharray="2 5"
          pointerEvents="none"
          data-testid="beside"
        />
      )}
      {corners && <Corners corners={corners} props={props} />}
      {props.marks.map((m) => (
        <MarkView
          key={m.id}
          mark={m}
          toScreen={toScreen}
          chosen={selection?.kind === "mark" && selection.id === m.id}
          movable={props.marksMovable}
          onGrab={props.onGrab}
        />
      ))}
      {props.cursor && <Hand at={toScreen(props.cursor)} />}
      {props.crossing && <Crossing at={toScreen(props.crossing)} />}
      {line.length > 0 && (
        <g pointerEvents="none">
          <path d={path(line, false)} fill="none" stroke="#121414" strokeWidth={3} strokeOpacity={0.6} />
          <path d={path(line, false)} fill="none" stroke="#f4ecda" strokeWidth={1.4} />
          {drawing.map(toScreen).map((p, i) => (
            <circle key={i} cx={p.x} cy={p.y} r={3.5} fill="#f4ecda" stroke="#121414" />
          ))}
        </g>
      )}
    </g>
  );
}
