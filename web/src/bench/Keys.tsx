/** Keys acting on the Bench; a component of its own, so that a new frame does not draw everything again. */
import { useEffect, useRef } from "react";
import { useWork } from "./context";
import { focusKind, isList, ownerOf, reachedByKeyboard, releaseFocus, watchFocus } from "./keyOwner";
import { actionOf } from "./keys";
import { watchNudges } from "./pendingNudge";
import { moveSome } from "./model/polygons";
import { type Command, holdsArrows, reduceKey } from "./reduceKey";
import { goTo, setBench, useBench } from "./state";
import { useArtworkNudge } from "./steps/place/useArtworkNudge";
import { setTool } from "./tools";
import { useTracking } from "./useTracking";
import { useDrafts } from "./viewer/useDraft";
import { useDrawing } from "./viewer/useDrawing";
import { useCrossing } from "./viewer/useCrossing";
import { useMarks } from "./viewer/useMarks";
import { useShapes } from "./viewer/useShapes";

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
    const drafted = (id: string) => useDrafts.getState().shapes[id];
    const perform = (c: Command): void => {
      switch (c.does) {
        case "set":
          return setBench(c.bench);
        case "goTo":
          return goTo(c.frame, work.count);
        case "takeTool":
          return setTool(c.tool);
        case "edit":
          return void work.edit(c.edit);
        case "undo":
          return void work.undo();
        case "redo":
          return void work.redo();
        case "help":
          return showHelp();
        case "track":
          return void tracking.start(c.direction);
        case "trackAll":
          return void tracking.startAll();
        case "again":
          return void tracking.again(c.span, c.direction);
        case "stopTracking":
          return void tracking.stop();
        case "setPoint":
          return drawing.press();
        case "moveHand":
          return drawing.step(c.by.x, c.by.y);
        case "leaveDrawing":
          return drawing.cancel();
        case "nudgeArtwork":
          return nudgeArtwork.current(useBench.getState().frame, c.by);
        case "nudgeMark": {
          // Keys may come faster than the picture is drawn: each goes on from the last.
          const from = drafted(`mark:${c.id}`)?.[0] ?? marks.marks.find((m) => m.id === c.id)?.at;
          return from && marks.nudge(c.id, { x: from.x + c.by.x, y: from.y + c.by.y });
        }
        case "nudgeShape": {
          const from = drafted(c.id) ?? (c.id === "corners" ? shapes.corners : shapes.shapes.find((s) => s.id === c.id)?.points);
          return from ? shapes.nudge(c.id, moveSome(from, c.indices, c.by.x, c.by.y)) : undefined;
        }
        case "commit":
          return shapes.commit(c.id, c.points);
        case "removeShape":
          return shapes.remove(c.id);
        case "removeKey":
          return shapes.removeKey(c.id);
        case "removeMark":
          return marks.remove(c.id);
      }
    };
    const down = (e: KeyboardEvent) => {
      const state = useBench.getState();
      const kind = focusKind(e.target);
      if (ownerOf(e.key, kind, reachedByKeyboard()) === "control") {
        // So does a list that was opened with a click: losing the focus closes it, before the next key comes.
        if (kind === "open" && e.key === "Escape" && isList(e.target) && !reachedByKeyboard()) releaseFocus();
        return;
      }
      const action = actionOf(e, holdsArrows(state));
      if (action === null) return;
      // Before any control hears of it: one that was clicked still has the focus.
      e.preventDefault();
      e.stopPropagation();
      if (kind !== "none" && !reachedByKeyboard()) releaseFocus();
      const seen = { work, corners: shapes.corners, shapes: shapes.shapes, marks: marks.marks, tracking: !!tracking.job, crossing: crossing?.at ?? null };
      for (const command of reduceKey(action, e, state, seen)) perform(command);
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
