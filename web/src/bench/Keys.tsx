/** Keys acting on the Bench; a component of its own, so that a new frame does not draw everything again. */
import { useEffect, useRef } from "react";
import type { Edit } from "../api/client";
import { useWork } from "./context";
import { focusKind, isList, ownerOf, reachedByKeyboard, releaseFocus, watchFocus } from "./keyOwner";
import { actionOf, type KeyAction, nudgeOf, strideOf } from "./keys";
import { watchNudges } from "./pendingNudge";
import { setTool, toolProblem } from "./tools";
import { pair } from "./model/geometry";
import { keyBeside } from "./model/keyed";
import { moveSome, removePoint } from "./model/polygons";
import { goTo, setBench, type StepId, type Tool, useBench } from "./state";
import { useArtworkNudge } from "./steps/place/useArtworkNudge";
import { useTracking } from "./useTracking";
import { useDrafts } from "./viewer/useDraft";
import { useDrawing } from "./viewer/useDrawing";
import { useCrossing } from "./viewer/useCrossing";
import { useMarks } from "./viewer/useMarks";
import { useShapes } from "./viewer/useShapes";

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

export function Keys({ showHelp }: { showHelp: () => void }): null {
  const work = useWork();
  const shapes = useShapes();
  const drawing = useDrawing();
  const tracking = useTracking();
  const marks = useMarks();
  const artwork = useArtworkNudge();
  const nudgeArtwork = useRef(artwork);
  useEffect(() => {
    nudgeArtwork.current = artwork;
  });
  const step = useBench((s) => s.step);
  const here = useBench((s) => s.frame);
  const crossing = useCrossing(
    shapes.corners,
    step === "outline" ? here === work.surface?.reference_frame : step === "inspect" && !!work.frames?.get(here)?.homography,
  );

  useEffect(watchFocus, []);
  useEffect(watchNudges, []);
  useEffect(() => {
    const { count, take, undo, redo, surface } = work;
    const down = (e: KeyboardEvent) => {
      const state = useBench.getState();
      const { frame } = state;
      const selection = state.selection?.kind === "artwork" && state.step !== "place" ? null : state.selection;
      const kind = focusKind(e.target);
      if (ownerOf(e.key, kind, reachedByKeyboard()) === "control") {
        // So does a list that was opened with a click: losing the focus closes it, before the next key comes.
        if (kind === "open" && e.key === "Escape" && isList(e.target) && !reachedByKeyboard()) releaseFocus();
        return;
      }
      const action = actionOf(e, state.tool !== "move" || (selection !== null && (selection.kind !== "points" || selection.indices.length > 0)));
      if (action === null) return;
      // Before any control hears of it: one that was clicked still has the focus.
      e.preventDefault();
      e.stopPropagation();
      if (kind !== "none" && !reachedByKeyboard()) releaseFocus();
      const shape = selection?.kind === "points" ? shapes.shapes.find((s) => s.id === selection.shape) : undefined;
      const points = selection?.kind === "corner" ? shapes.corners : (shape?.points ?? null);
      const known = !!work.frames?.get(frame)?.homography || frame === surface?.reference_frame;
      switch (action) {
        case "play":
          return setBench({ playing: state.playing === 0 ? 1 : 0 });
        case "pause":
          return setBench({ playing: 0 });
        case "forwards":
          return setBench({ playing: 1 });
        case "backwards":
          return setBench({ playing: -1 });
        case "next":
          return goTo(frame + 1, count);
        case "previous":
          return goTo(frame - 1, count);
        case "next10":
          return goTo(frame + 10, count);
        case "previous10":
          return goTo(frame - 10, count);
        case "first":
          return goTo(0, count);
        case "last":
          return goTo(count - 1, count);
        case "step":
          return setBench({ step: STEP_KEYS[e.key] ?? state.step, tool: "move" });
        case "swap":
          return setBench({ swapped: !state.swapped });
        case "magnify":
          return setBench({ holdMagnifier: true });
        case "holdPlate":
          return setBench({ holdPlate: true });
        case "holdReference":
          return setBench({ holdReference: true });
        case "flipPatch":
          return setBench({ flipPatch: true });
        case "holdRaw":
          return setBench({ holdRaw: true });
        case "trackAll":
          return void tracking.startAll();
        case "overlays":
          return setBench({ overlays: !state.overlays });
        case "track":
          return void tracking.start("forwards");
        case "trackBack":
          return void tracking.start("backwards");
        case "trackBoth":
          return void tracking.start("both");
        case "again":
          return void tracking.again([frame, frame]);
        case "againOn":
          return void tracking.again([frame, count - 1], "forwards");
        case "againBack":
          return void tracking.again([0, frame], "backwards");
        case "hold": {
          if (!surface || take?.mended || frame === surface.reference_frame || !work.frames?.get(frame)) return;
          const held = surface.held.some((h) => h.frame === frame);
          if (!held && !shapes.corners) return;
          return void work.edit({ kind: "hold_frame", surface: surface.id, frame, corners: held ? null : shapes.corners?.map((p) => pair(p)) } as Edit);
        }
        case "curve":
          return setBench({ curve: state.curve ? null : "doubt" });
        case "follow":
        case "cutOut":
        case "inFront":
        case "corners":
        case "point": {
          const tool = TOOL_KEYS[action];
          if (tool && toolProblem(tool, work, frame) === null) {
            setBench({ step: "outline" });
            setTool(tool);
          }
          return;
        }
        case "undo":
          return void undo();
        case "redo":
          return void redo();
        case "help":
          return showHelp();
        case "finish":
          return drawing.press();
        case "stop":
          if (state.tool !== "move") drawing.cancel();
          else if (tracking.job) void tracking.stop();
          else setBench({ selection: null });
          return;
        case "look": {
          const looks = [...(take?.looks ?? [])].sort((a, b) => a.frame - b.frame);
          const next = looks.find((l) => l.frame > frame) ?? looks[0];
          if (next) setBench({ frame: next.frame, step: "inspect" });
          return;
        }
        case "cycle": {
          const step = e.shiftKey ? -1 : 1;
          if (selection?.kind === "mark") {
            const all = marks.marks.map((m) => m.id);
            const to = all[(all.indexOf(selection.id) + step + all.length) % all.length];
            if (to !== undefined) setBench({ selection: { kind: "mark", id: to } });
            return;
          }
          if (!selection || selection.kind === "artwork" || !points?.length) return;
          const now = selection.kind === "corner" ? selection.corner : (selection.indices.at(-1) ?? -step);
          const to = (now + step + points.length) % points.length;
          setBench({ selection: selection.kind === "corner" ? { kind: "corner", corner: to } : { ...selection, indices: [to] } });
          return;
        }
        case "nudge": {
          if (state.tool !== "move") {
            const by = strideOf(e);
            return drawing.step(by.x, by.y);
          }
          const by = nudgeOf(e);
          if (selection?.kind === "artwork") return nudgeArtwork.current(frame, by);
          if (selection?.kind === "mark") {
            const mark = marks.marks.find((m) => m.id === selection.id);
            if (!mark) return;
            // Keys may come faster than the picture is drawn: each goes on from the last.
            const from = useDrafts.getState().shapes[`mark:${mark.id}`]?.[0] ?? mark.at;
            marks.nudge(mark.id, { x: from.x + by.x, y: from.y + by.y });
            return;
          }
          if (!selection || !points) return;
          if (selection.kind === "corner" && !known) return;
          const indices = selection.kind === "corner" ? [selection.corner] : selection.indices;
          const id = selection.kind === "corner" ? "corners" : selection.shape;
          // Keys may come faster than the picture is drawn: each goes on from the last.
          shapes.nudge(id, moveSome(useDrafts.getState().shapes[id] ?? points, indices, by.x, by.y));
          return;
        }
        case "all":
          if (shape) setBench({ selection: { kind: "points", shape: shape.id, indices: shape.points.map((_, i) => i) } });
          return;
        case "choose":
          return setBench({ selection: surface?.corners ? { kind: "corner", corner: 0 } : null });
        case "shape": {
          if (state.step !== "outline" || shapes.shapes.length === 0) return;
          const at = shapes.shapes.findIndex((s) => s.id === shape?.id);
          const next = shapes.shapes[(at + 1) % shapes.shapes.length];
          if (next) setBench({ selection: { kind: "points", shape: next.id, indices: next.points.map((_, i) => i) } });
          return;
        }
        case "keyBefore":
        case "keyAfter": {
          const frames = shape?.keys ?? surface?.points.find((p) => selection?.kind === "mark" && p.id === selection.id)?.keys.map((k) => k.frame) ?? [];
          const to = keyBeside(frames, frame, action === "keyAfter" ? 1 : -1);
          if (to !== null) goTo(to, count);
          return;
        }
        case "dropKey":
          if (shape) shapes.removeKey(shape.id);
          return;
        case "snap":
          if (selection?.kind === "corner" && shapes.corners && crossing) {
            const at = shapes.corners[selection.corner];
            if (at) shapes.commit("corners", moveSome(shapes.corners, [selection.corner], crossing.at.x - at.x, crossing.at.y - at.y));
          }
          return;
        case "remove": {
          if (selection?.kind === "mark") marks.remove(selection.id);
          else if (selection?.kind === "points" && points) {
            if (e.shiftKey || selection.indices.length >= points.length - 2) shapes.remove(selection.shape);
            else
              shapes.commit(
                selection.shape,
                [...selection.indices].sort((a, b) => b - a).reduce((left, i) => removePoint(left, i), points),
              );
          }
          return selection?.kind === "corner" ? undefined : setBench({ selection: null });
        }
      }
    };
    // A field that is done with gives the keys back: after it has taken what was typed, before the next key comes.
    const done = (e: KeyboardEvent) => {
      if ((e.key === "Enter" || e.key === "Escape") && focusKind(e.target) === "text" && !(e.target instanceof HTMLTextAreaElement)) releaseFocus();
    };
    const up = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() === "m") setBench({ holdMagnifier: false });
      if (e.key.toLowerCase() === "c") setBench({ holdPlate: false });
      if (e.key.toLowerCase() === "u") setBench({ holdReference: false });
      if (e.key.toLowerCase() === "y") setBench({ flipPatch: false });
      if (e.key.toLowerCase() === "z") setBench({ holdRaw: false });
    };
    window.addEventListener("keydown", down, true);
    window.addEventListener("keydown", done);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("keydown", down, true);
      window.removeEventListener("keydown", done);
      window.removeEventListener("keyup", up);
    };
  }, [crossing, drawing, marks, shapes, showHelp, tracking, work]);
  return null;
}
