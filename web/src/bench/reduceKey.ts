/** What a key of the Bench does, told from what is seen at that moment; pure, so that it can be tested key by key. */
import type { Edit } from "../api/client";
import type { BenchWork } from "./context";
import { type KeyAction, nudgeOf, type Pressed, strideOf } from "./keys";
import { pair, type PlatePoint } from "./model/geometry";
import { keyBeside } from "./model/keyed";
import { moveSome, removePoint } from "./model/polygons";
import type { StepId } from "./model/views";
import type { BenchState, Selection, Tool } from "./state";
import { toolProblem } from "./tools";
import type { Direction } from "./useTracking";

type By = { x: number; y: number };

export type Command =
  | { does: "set"; bench: Partial<BenchState> }
  | { does: "goTo"; frame: number }
  | { does: "takeTool"; tool: Tool }
  | { does: "edit"; edit: Edit }
  | { does: "undo" }
  | { does: "redo" }
  | { does: "help" }
  | { does: "track"; direction: Direction }
  | { does: "trackAll" }
  | { does: "again"; span: [number, number]; direction?: Direction }
  | { does: "stopTracking" }
  /** Of the drawing hand: a point is set, it moves, it is put down. */
  | { does: "setPoint" }
  | { does: "moveHand"; by: By }
  | { does: "leaveDrawing" }
  | { does: "nudgeArtwork"; by: By }
  | { does: "nudgeMark"; id: string; by: By }
  | { does: "nudgeShape"; id: string; indices: number[]; by: By }
  | { does: "commit"; id: string; points: PlatePoint[] }
  | { does: "removeShape"; id: string }
  | { does: "removeKey"; id: string }
  | { does: "removeMark"; id: string };

/** What is there besides the state of the Bench. */
export type Seen = {
  work: Pick<BenchWork, "surface" | "take" | "frames" | "count" | "firstFrame">;
  corners: PlatePoint[] | null;
  shapes: readonly { id: string; points: PlatePoint[]; keys: number[] }[];
  marks: readonly { id: string }[];
  /** Whether the chosen surface is being followed. */
  tracking: boolean;
  /** The crossing of edges that is offered to the chosen corner. */
  crossing: PlatePoint | null;
};

const TOOL_KEYS: Partial<Record<KeyAction, Tool>> = { follow: "include", cutOut: "exclude", inFront: "occluder", corners: "corners", point: "point" };
const STEP_KEYS: Record<string, StepId> = {
  "1": "prepare",
  "2": "outline",
  "3": "track",
  "4": "inspect",
  "6": "place",
  "7": "mask",
  "8": "match",
  "9": "handover",
};

const set = (bench: Partial<BenchState>): Command[] => [{ does: "set", bench }];
const allOf = (shape: { id: string; points: PlatePoint[] }): Selection => ({ kind: "points", shape: shape.id, indices: shape.points.map((_, i) => i) });

/** What is chosen, as far as keys of this step may act on it. */
export function selectionOf(state: Pick<BenchState, "selection" | "step">): Selection {
  return state.selection?.kind === "artwork" && state.step !== "place" ? null : state.selection;
}

/** Whether arrows belong to a tool or to what is chosen, and not to time. */
export function holdsArrows(state: Pick<BenchState, "selection" | "step" | "tool">): boolean {
  const selection = selectionOf(state);
  return state.tool !== "move" || (selection !== null && (selection.kind !== "points" || selection.indices.length > 0));
}

/** The commands of a key, in order. */
export function reduceKey(action: KeyAction, e: Pressed, state: BenchState, seen: Seen): Command[] {
  const { count, surface, take } = seen.work;
  const { frame } = state;
  switch (action) {
    case "play":
      return set({ playing: state.playing === 0 ? 1 : 0 });
    case "pause":
      return set({ playing: 0 });
    case "forwards":
      return set({ playing: 1 });
    case "backwards":
      return set({ playing: -1 });
    case "next":
      return [{ does: "goTo", frame: frame + 1 }];
    case "previous":
      return [{ does: "goTo", frame: frame - 1 }];
    case "next10":
      return [{ does: "goTo", frame: frame + 10 }];
    case "previous10":
      return [{ does: "goTo", frame: frame - 10 }];
    case "first":
      return [{ does: "goTo", frame: 0 }];
    case "last":
      return [{ does: "goTo", frame: count - 1 }];
    case "step":
      return set({ step: STEP_KEYS[e.key] ?? state.step, tool: "move" });
    case "swap":
      return set({ swapped: !state.swapped });
    case "magnify":
      return set({ holdMagnifier: true });
    case "holdPlate":
      return set({ holdPlate: true });
    case "holdReference":
      return set({ holdReference: true });
    case "flipPatch":
      return set({ flipPatch: true });
    case "holdRaw":
      return set({ holdRaw: true });
    case "overlays":
      return set({ overlays: !state.overlays });
    case "curve":
      return set({ curve: state.curve ? null : "doubt" });
    case "track":
      return [{ does: "track", direction: "forwards" }];
    case "trackBack":
      return [{ does: "track", direction: "backwards" }];
    case "trackBoth":
      return [{ does: "track", direction: "both" }];
    case "trackAll":
      return [{ does: "trackAll" }];
    case "again":
      return [{ does: "again", span: [frame, frame] }];
    case "againOn":
      return [{ does: "again", span: [frame, count - 1], direction: "forwards" }];
    case "againBack":
      return [{ does: "again", span: [0, frame], direction: "backwards" }];
    case "hold":
      return hold(state, seen);
    case "follow":
    case "cutOut":
    case "inFront":
    case "corners":
    case "point": {
      const tool = TOOL_KEYS[action];
      if (!tool || toolProblem(tool, seen.work, frame) !== null) return [];
      return [...set({ step: "outline" }), { does: "takeTool", tool }];
    }
    case "undo":
      return [{ does: "undo" }];
    case "redo":
      return [{ does: "redo" }];
    case "help":
      return [{ does: "help" }];
    case "finish":
      return [{ does: "setPoint" }];
    case "stop":
      if (state.tool !== "move") return [{ does: "leaveDrawing" }];
      return seen.tracking ? [{ does: "stopTracking" }] : set({ selection: null });
    case "look": {
      const looks = [...(take?.looks ?? [])].sort((a, b) => a.frame - b.frame);
      const next = looks.find((l) => l.frame > frame) ?? looks[0];
      return next ? set({ frame: next.frame, step: "inspect" }) : [];
    }
    case "cycle":
      return cycle(e.shiftKey ? -1 : 1, state, seen);
    case "nudge":
      return nudge(e, state, seen);
    case "all": {
      const shape = chosenShape(state, seen);
      return shape ? set({ selection: allOf(shape) }) : [];
    }
    case "choose":
      return set({ selection: surface?.corners ? { kind: "corner", corner: 0 } : null });
    case "shape": {
      if (state.step !== "outline") return [];
      const at = seen.shapes.findIndex((s) => s.id === chosenShape(state, seen)?.id);
      const next = seen.shapes[(at + 1) % seen.shapes.length];
      return next ? set({ selection: allOf(next) }) : [];
    }
    case "keyBefore":
    case "keyAfter": {
      const to = keyBeside(keyFrames(state, seen), frame, action === "keyAfter" ? 1 : -1);
      return to === null ? [] : [{ does: "goTo", frame: to }];
    }
    case "dropKey": {
      const shape = chosenShape(state, seen);
      return shape ? [{ does: "removeKey", id: shape.id }] : [];
    }
    case "snap": {
      const selection = selectionOf(state);
      const at = selection?.kind === "corner" ? seen.corners?.[selection.corner] : undefined;
      if (selection?.kind !== "corner" || !seen.corners || !seen.crossing || !at) return [];
      const points = moveSome(seen.corners, [selection.corner], seen.crossing.x - at.x, seen.crossing.y - at.y);
      return [{ does: "commit", id: "corners", points }];
    }
    case "remove":
      return remove(e.shiftKey, state, seen);
  }
}

function chosenShape(state: BenchState, seen: Seen): Seen["shapes"][number] | undefined {
  const selection = selectionOf(state);
  return selection?.kind === "points" ? seen.shapes.find((s) => s.id === selection.shape) : undefined;
}

function keyFrames(state: BenchState, seen: Seen): readonly number[] {
  const selection = selectionOf(state);
  const mark = selection?.kind === "mark" ? seen.work.surface?.points.find((p) => p.id === selection.id) : undefined;
  return chosenShape(state, seen)?.keys ?? mark?.keys.map((k) => k.frame) ?? [];
}

/** Hold the corners where they are seen, or let them go. */
function hold({ frame }: BenchState, { work: { surface, take, frames }, corners }: Seen): Command[] {
  if (!surface || take?.mended || frame === surface.reference_frame || !frames?.get(frame)) return [];
  const held = surface.held.some((h) => h.frame === frame);
  if (!held && !corners) return [];
  const at = held ? null : corners?.map((p) => pair(p));
  return [{ does: "edit", edit: { kind: "hold_frame", surface: surface.id, frame, corners: at } as Edit }];
}

/** Choose the next corner, point or single point, or the one before. */
function cycle(step: 1 | -1, state: BenchState, seen: Seen): Command[] {
  const selection = selectionOf(state);
  if (selection?.kind === "mark") {
    const all = seen.marks.map((m) => m.id);
    const to = all[(all.indexOf(selection.id) + step + all.length) % all.length];
    return to === undefined ? [] : set({ selection: { kind: "mark", id: to } });
  }
  const points = selection?.kind === "corner" ? seen.corners : chosenShape(state, seen)?.points;
  if (!selection || selection.kind === "artwork" || !points?.length) return [];
  const now = selection.kind === "corner" ? selection.corner : (selection.indices.at(-1) ?? -step);
  const to = (now + step + points.length) % points.length;
  return set({ selection: selection.kind === "corner" ? { kind: "corner", corner: to } : { ...selection, indices: [to] } });
}

/** An arrow: it moves the drawing hand, or what is chosen. */
function nudge(e: Pressed, state: BenchState, seen: Seen): Command[] {
  if (state.tool !== "move") return [{ does: "moveHand", by: strideOf(e) }];
  const by = nudgeOf(e);
  const selection = selectionOf(state);
  switch (selection?.kind) {
    case "artwork":
      return [{ does: "nudgeArtwork", by }];
    case "mark":
      return seen.marks.some((m) => m.id === selection.id) ? [{ does: "nudgeMark", id: selection.id, by }] : [];
    case "corner": {
      const { frames, surface } = seen.work;
      const known = !!frames?.get(state.frame)?.homography || state.frame === surface?.reference_frame;
      return known && seen.corners ? [{ does: "nudgeShape", id: "corners", indices: [selection.corner], by }] : [];
    }
    case "points":
      return chosenShape(state, seen) ? [{ does: "nudgeShape", id: selection.shape, indices: selection.indices, by }] : [];
    default:
      return [];
  }
}

/** Take what is chosen away: a single point, some points of a shape, or with less than three left the whole of it. */
function remove(whole: boolean, state: BenchState, seen: Seen): Command[] {
  const selection = selectionOf(state);
  if (selection?.kind === "corner") return [];
  const gone: Command[] = [];
  if (selection?.kind === "mark") gone.push({ does: "removeMark", id: selection.id });
  const points = chosenShape(state, seen)?.points;
  if (selection?.kind === "points" && points) {
    if (whole || selection.indices.length >= points.length - 2) gone.push({ does: "removeShape", id: selection.shape });
    else {
      const fromLast = [...selection.indices].sort((a, b) => b - a);
      gone.push({ does: "commit", id: selection.shape, points: fromLast.reduce((left, i) => removePoint(left, i), points) });
    }
  }
  return [...gone, ...set({ selection: null })];
}
