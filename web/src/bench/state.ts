/** What the Bench shows at this moment: frame, view, tool, selection. Not the document. */
import { create } from "zustand";
import { useShallow } from "zustand/react/shallow";
import type { CurveId } from "./model/curves";
import type { Key, Scope } from "./model/keyed";
import { type Shown, type StepId, viewAt } from "./model/views";
import type { Density } from "./strip/layout";

export type MatteView = "alone" | "over" | "cut" | "zones";
/** How far the picture is moved when a surface is held still. */
export type Held = "position" | "turn" | "size" | "full";
/** Another frame beside this one in the flat view: the reference, the one before, or one by number. */
export type Against = { frame: "reference" | "before" | number | null; how: "beside" | "difference" };
export type Guide = "none" | "grid" | "chart";
export type Tool = "move" | "include" | "exclude" | "occluder" | "corners" | "point" | "line" | "sample" | "matte" | "area" | "spot";
/** An outline that is only offered: what it would become, riding the surface, and the frames it is there. */
export type Offered = { kind: "exclude" | "occluder"; keys: readonly Key[]; span: readonly [number, number] };
export type Selection =
  | { kind: "corner"; corner: number }
  | { kind: "points"; shape: string; indices: number[] }
  | { kind: "mark"; id: string }
  /** The artwork that is worked on: arrows nudge it. */
  | { kind: "artwork" }
  | null;

export type BenchState = {
  frame: number;
  playing: -1 | 0 | 1;
  shown: Shown;
  holdPlate: boolean;
  holdMagnifier: boolean;
  wipe: number | null;
  overlays: boolean;
  dragging: boolean;
  swapped: boolean;
  step: StepId;
  tool: Tool;
  selection: Selection;
  /** What moving a shape's points counts for. */
  scope: Scope;
  /** How new shapes are drawn. */
  outline: "straight" | "smooth";
  /** The picture along the surface's edges is shown, laid straight. */
  edges: boolean;
  density: Density;
  /** Magnification of the strip's crops. */
  cropZoom: number;
  /** The strip shows the reference frame's crops, while a key is held. */
  holdReference: boolean;
  /** What the flat view lays this frame against. */
  against: Against;
  /** The other patch is shown in place of this one, while a key is held. */
  flipPatch: boolean;
  /** Corners are shown as they were followed, without nudges and mending, while a key is held. */
  holdRaw: boolean;
  /** What a picture that is held still is judged by: a grid that stands still, or a chart that lies on the surface. */
  guide: Guide;
  /** Lines drawn for the lens, and its grid, are shown. */
  lens: boolean;
  /** Another take of the surface that is laid beside the chosen one. */
  beside: string | null;
  /** What the strip's rows show in Mask: the surface's corners, or places along the matte's edge. */
  stripRows: "corners" | "edge" | "pairs";
  /** A curve shown instead of the crops. */
  curve: CurveId | null;
  threshold: number | null;
  /** The offer that is pointed at. */
  offered: Offered | null;
  /** First and last frame picked in the strip. */
  picked: [number, number] | null;
  held: Held;
  surface: string | null;
  /** The placement, the matte and the part of it that are worked on. */
  placement: string | null;
  matte: string | null;
  part: number | null;
  dropped: number;
  played: number;
  /** Share of the pictures gathered before playing begins, or null. */
  gathered: number | null;
};

export const START: BenchState = {
  frame: 0,
  playing: 0,
  shown: "plate",
  holdPlate: false,
  holdMagnifier: false,
  wipe: null,
  overlays: true,
  dragging: false,
  swapped: false,
  step: "prepare",
  tool: "move",
  selection: null,
  scope: "here",
  outline: "straight",
  edges: false,
  density: "large",
  cropZoom: 1,
  stripRows: "corners",
  holdReference: false,
  against: { frame: null, how: "beside" },
  flipPatch: false,
  holdRaw: false,
  guide: "none",
  lens: false,
  beside: null,
  curve: null,
  threshold: null,
  offered: null,
  picked: null,
  held: "full",
  surface: null,
  placement: null,
  matte: null,
  part: null,
  dropped: 0,
  played: 0,
  gathered: null,
};

export const useBench = create<BenchState>(() => START);
export const setBench = useBench.setState;

// A view that the next step does not have is left with the step.
useBench.subscribe((s, before) => {
  if (s.step !== before.step && viewAt(s.step, s.shown) !== s.shown) setBench({ shown: viewAt(s.step, s.shown) });
});

/** A few parts of the state: whoever asks for them is drawn again when one of these changes, and for nothing else. */
export function useBenchParts<K extends keyof BenchState>(...parts: K[]): Pick<BenchState, K> {
  return useBench(useShallow((s) => Object.fromEntries(parts.map((k) => [k, s[k]])) as Pick<BenchState, K>));
}

/** Go to a frame, kept within the plate. */
export function goTo(frame: number, count: number): void {
  setBench({ frame: Math.min(Math.max(0, Math.round(frame)), Math.max(0, count - 1)) });
}

let calm = 0;

/** The frame for controls: it stands still while the film plays, so that playing has the time. */
export function useCalmFrame(): number {
  return useBench((s) => {
    if (s.playing === 0) calm = s.frame;
    return calm;
  });
}
