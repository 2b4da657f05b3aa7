/** Coverage of what is being dragged: asked for as fast as answers come, the newest wish first. */
import { useEffect, useState } from "react";
import { urls } from "../../api/client";
import { useWork } from "../context";
import { useBench } from "../state";
import { useDrafts } from "./useDraft";
import { useTakesState } from "./useFrameUrls";
import { useShapes } from "./useShapes";

type Live = { picture: ImageBitmap; surface: string; frame: number };

async function ask(url: string, body: string): Promise<ImageBitmap | null> {
  const answer = await fetch(url, { method: "POST", headers: { "Content-Type": "application/json" }, body }).catch(() => null);
  return answer?.ok ? createImageBitmap(await answer.blob()) : null;
}

/** The newest one for this surface and frame, `width` px wide; null when nothing has been dragged here. */
export function useLiveCoverage(width: number): ImageBitmap | null {
  const { shot, surface } = useWork();
  const frame = useBench((s) => s.frame);
  const wanted = useBench((s) => s.shown === "coverage" && !s.holdPlate && s.wipe === null && s.step === "outline");
  const { editsOf } = useShapes(false);
  const state = useTakesState();
  const [live, setLive] = useState<Live | null>(null);
  const id = surface?.id;

  useEffect(() => {
    if (!wanted || id === undefined) return undefined;
    let current = true;
    let busy = false;
    let next: string | null = null;
    const url = urls.draftCoverage(shot.id, shot.revision, id, frame);
    const go = async () => {
      busy = true;
      while (next !== null && current) {
        const body = next;
        next = null;
        const picture = await ask(url, body);
        if (picture && current) setLive({ picture, surface: id, frame });
      }
      busy = false;
    };
    const stop = useDrafts.subscribe((now, before) => {
      if (now.shapes === before.shapes) return;
      const edits = Object.entries(now.shapes).flatMap(([shape, points]) => (shape.startsWith("mark:") ? [] : editsOf(shape, points)));
      if (edits.length === 0) return;
      next = JSON.stringify({ edits, state, width });
      if (!busy) void go();
    });
    return () => {
      current = false;
      stop();
    };
  }, [editsOf, frame, id, shot.id, shot.revision, state, wanted, width]);
  return live && live.surface === id && live.frame === frame && wanted ? live.picture : null;
}
