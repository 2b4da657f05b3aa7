/** Keys acting on the Bench; a component of its own, so that a new frame does not draw everything again. */
import { useEffect } from "react";
import type { Edit } from "../api/client";
import { useWork } from "./context";
import { actionOf, nudgeOf } from "./keys";
import { pair } from "./model/geometry";
import { movePoint, removePoint } from "./model/polygons";
import { goTo, setBench, type StepId, useBench } from "./state";
import { useTracking } from "./useTracking";
import { useDrawing } from "./viewer/useDrawing";
import { useShapes } from "./viewer/useShapes";

const STEP_KEYS: Record<string, StepId> = { "1": "prepare", "2": "outline", "3": "track", "4": "inspect", "6": "place", "9": "handover" };

function isTyping(target: EventTarget | null): boolean {
  const el = target as HTMLElement | null;
  return !!el?.closest?.("input:not([type=radio]), textarea, [contenteditable], [role=combobox], .ant-select-dropdown, .ant-modal");
}

export function Keys({ showHelp }: { showHelp: () => void }): null {
  const work = useWork();
  const shapes = useShapes();
  const drawing = useDrawing();
  const tracking = useTracking();

  useEffect(() => {
    const { count, take, undo, redo, surface } = work;
    const down = (e: KeyboardEvent) => {
      const state = useBench.getState();
      const { selection, frame } = state;
      const action = isTyping(e.target) ? null : actionOf(e, selection !== null);
      if (action === null) return;
      // A focused button answers to Space and Enter itself.
      if ((action === "play" || action === "finish") && (e.target as HTMLElement).closest?.("button, a, [role=radio]")) return;
      e.preventDefault();
      const points = selection?.kind === "corner" ? shapes.corners : selection ? shapes.shapes.find((s) => s.id === selection.shape)?.points : null;
      switch (action) {
        case "play": return setBench({ playing: state.playing === 0 ? 1 : 0 });
        case "pause": return setBench({ playing: 0 });
        case "forwards": return setBench({ playing: 1 });
        case "backwards": return setBench({ playing: -1 });
        case "next": return goTo(frame + 1, count);
        case "previous": return goTo(frame - 1, count);
        case "next10": return goTo(frame + 10, count);
        case "previous10": return goTo(frame - 10, count);
        case "first": return goTo(0, count);
        case "last": return goTo(count - 1, count);
        case "step": return setBench({ step: STEP_KEYS[e.key] ?? state.step, tool: "move" });
        case "swap": return setBench({ swapped: !state.swapped });
        case "magnify": return setBench({ holdMagnifier: true });
        case "holdPlate": return setBench({ holdPlate: true });
        case "overlays": return setBench({ overlays: !state.overlays });
        case "track": return void tracking.start("forwards");
        case "trackBack": return void tracking.start("backwards");
        case "trackBoth": return void tracking.start("both");
        case "again": return void tracking.again([frame, frame]);
        case "againOn": return frame > 0 ? void tracking.again([frame, count - 1], "forwards") : undefined;
        case "againBack": return frame < count - 1 ? void tracking.again([0, frame], "backwards") : undefined;
        case "hold": {
          if (!surface || frame === surface.reference_frame || !work.frames?.get(frame)) return;
          const held = surface.held.some((h) => h.frame === frame);
          if (!held && !shapes.corners) return;
          return void work.edit({ kind: "hold_frame", surface: surface.id, frame, corners: held ? null : shapes.corners?.map((p) => pair(p)) } as Edit);
        }
        case "curve": return setBench({ curve: state.curve ? null : "doubt" });
        case "undo": return void undo();
        case "redo": return void redo();
        case "help": return showHelp();
        case "finish": return drawing.finish();
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
          if (!selection || !points?.length) return;
          const now = selection.kind === "corner" ? selection.corner : selection.index;
          const to = (now + (e.shiftKey ? -1 : 1) + points.length) % points.length;
          setBench({ selection: selection.kind === "corner" ? { kind: "corner", corner: to } : { ...selection, index: to } });
          return;
        }
        case "nudge": {
          if (!selection || !points) return;
          const by = nudgeOf(e);
          const index = selection.kind === "corner" ? selection.corner : selection.index;
          const p = points[index];
          const known = work.frames?.get(frame)?.homography || frame === surface?.reference_frame;
          if (p && known) shapes.commit(selection.kind === "corner" ? "corners" : selection.shape, movePoint(points, index, { x: p.x + by.x, y: p.y + by.y }));
          return;
        }
        case "remove":
          if (selection?.kind !== "point" || !points) return;
          if (e.shiftKey) shapes.remove(selection.shape);
          else shapes.commit(selection.shape, removePoint(points, selection.index));
          setBench({ selection: null });
      }
    };
    const up = (e: KeyboardEvent) => {
      if (e.key.toLowerCase() === "m") setBench({ holdMagnifier: false });
      if (e.key.toLowerCase() === "c") setBench({ holdPlate: false });
    };
    // A control used with the pointer gives the keys back to the Bench; one reached with Tab keeps them.
    const release = () => {
      const held = document.activeElement;
      if (held instanceof HTMLElement && !isTyping(held)) held.blur();
    };
    window.addEventListener("pointerup", release);
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    return () => {
      window.removeEventListener("pointerup", release);
      window.removeEventListener("keydown", down);
      window.removeEventListener("keyup", up);
    };
  }, [drawing, shapes, showHelp, tracking, work]);
  return null;
}
