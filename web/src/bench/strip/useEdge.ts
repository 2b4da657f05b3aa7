/** What the strip shows of a matte's edge: crops along it, and how steady it is. */
import { useMemo } from "react";
import { api, data, type Steadiness, urls } from "../../api/client";
import { useWork } from "../context";
import { chosenMatte } from "../model/matte";
import { useBench } from "../state";
import { isMatteView, useTakesState } from "../viewer/useFrameUrls";
import { flickerColour, flickerHeight, type Range } from "./layout";
import { type Bar, type MadeRows, useCalm, useChunks } from "./useMade";

const ROWS = ["1", "2", "3", "4"].map((n) => `Place ${n} along the matte's edge, turned so that what is in front lies on the right`);

function barOf(told: Steadiness): Bar | null {
  if (told.flicker === null && !told.jumps) return null;
  return { height: flickerHeight(told.flicker ?? 0), colour: flickerColour(told.flicker ?? 0), notch: told.jumps };
}

export function useEdge(range: Range): MadeRows | null {
  const { shot, document, surface } = useWork();
  const id = useBench((s) => s.matte);
  const shown = useBench((s) => s.shown);
  const wanted = useBench((s) => s.step === "mask" && s.stripRows === "edge");
  const state = useTakesState();
  const revision = useCalm(shot.revision);
  const matte = wanted ? (chosenMatte(document.mattes, id, surface?.id)?.id ?? null) : null;
  const { told, asking } = useChunks(matte ? ["steadiness", shot.id, revision, matte, state] : null, range, async (first, count) =>
    data<Steadiness[]>(
      await api.GET("/api/shots/{shot_id}/revisions/{number}/mattes/{matte}/steadiness/{first}", {
        params: { path: { shot_id: shot.id, number: revision, matte: matte ?? "", first }, query: { count, state } },
      }),
    ),
  );
  const view = isMatteView(shown) ? shown : "alone";
  return useMemo(() => {
    if (!matte) return null;
    const bars = told.flatMap((t): [number, Bar][] => {
      const bar = barOf(t);
      return bar ? [[t.frame, bar]] : [];
    });
    return {
      kind: "edge",
      url: (frame: number) => urls.matteEdges(shot.id, revision, matte, view, frame, state),
      bars: new Map(bars),
      told: told.length,
      unit: "%",
      rows: ROWS,
      asking: asking ? "Looking at the edge, frame by frame" : null,
    };
  }, [asking, matte, revision, shot.id, state, told, view]);
}
