/** What the strip shows of plate and result: the same places over time, plate above and result below, and how different they look. */
import { useMemo } from "react";
import { api, data, type PairView, urls } from "../../api/client";
import { useWork } from "../context";
import { useBench } from "../state";
import { useTakesState } from "../viewer/useFrameUrls";
import { differenceHeight, doubtColour, type Range } from "./layout";
import { type Bar, type MadeRows, useCalm, useChunks } from "./useMade";

const SIDES = ["upper", "right", "lower", "left"];

/** The bar of a frame: its largest difference. */
function barOf(told: PairView): Bar | null {
  const known = told.differences.filter((d) => d !== null);
  if (!known.length) return null;
  const height = differenceHeight(Math.max(...known));
  return { height, colour: doubtColour(0.05 * ((1 + 6 / 0.05) ** height - 1)), notch: false };
}

export function usePairs(range: Range): MadeRows | null {
  const { shot, document, surface } = useWork();
  const wanted = useBench((s) => s.step === "match" && s.stripRows === "pairs");
  const state = useTakesState();
  const revision = useCalm(shot.revision);
  const id = wanted && document.placements.length > 0 ? (surface?.id ?? null) : null;
  const spots = document.match.find((m) => m.surface === id)?.spots.length ?? 0;
  const { told, asking } = useChunks(id ? ["pairs", shot.id, revision, id, state] : null, range, async (first, count) =>
    data<PairView[]>(
      await api.GET("/api/shots/{shot_id}/revisions/{number}/surfaces/{surface}/pair-differences/{first}", {
        params: { path: { shot_id: shot.id, number: revision, surface: id ?? "", first }, query: { count, state } },
      }),
    ),
  );
  return useMemo(() => {
    if (!id) return null;
    const bars = told.flatMap((t): [number, Bar][] => {
      const bar = barOf(t);
      return bar ? [[t.frame, bar]] : [];
    });
    const rows = [0, 1, 2, 3].map((i) => `${i < spots ? `Spot ${i + 1}` : `Middle of the ${SIDES[i - spots] ?? ""} edge`}: the plate above, the result below`);
    return {
      kind: "pairs",
      url: (frame: number) => urls.pairs(shot.id, revision, id, frame, state),
      bars: new Map(bars),
      told: told.length,
      unit: "dE",
      rows,
      asking: asking ? "Comparing plate and result, frame by frame" : null,
    };
  }, [asking, id, revision, shot.id, spots, state, told]);
}
