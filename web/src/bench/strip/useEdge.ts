/** What the strip shows of a matte's edge: crops along it, and how steady it is, as it becomes known. */
import { isMatteView } from "../viewer/useFrameUrls";
import { useQueries } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { api, data, type Steadiness, urls } from "../../api/client";
import { useWork } from "../context";
import { chosenMatte } from "../model/matte";
import { useBench } from "../state";
import { useTakesState } from "../viewer/useFrameUrls";
import type { Range } from "./layout";

export type EdgeRows = { url: (frame: number) => string; steady: ReadonlyMap<number, Steadiness>; asking: boolean };

const CHUNK = 12;
/** While something is dragged, revisions go by faster than anybody looks at the strip. */
const CALM_MS = 500;

function useCalm<T>(value: T): T {
  const [calm, setCalm] = useState(value);
  useEffect(() => {
    const later = window.setTimeout(() => setCalm(value), CALM_MS);
    return () => window.clearTimeout(later);
  }, [value]);
  return calm;
}

export function useEdge(range: Range): EdgeRows | null {
  const { shot, document, surface } = useWork();
  const id = useBench((s) => s.matte);
  const shown = useBench((s) => s.shown);
  const wanted = useBench((s) => s.step === "mask" && s.stripRows === "edge");
  const state = useTakesState();
  const revision = useCalm(shot.revision);
  const matte = wanted ? (chosenMatte(document.mattes, id, surface?.id)?.id ?? null) : null;
  const firsts = useMemo(() => {
    const first = Math.floor(range.first / CHUNK) * CHUNK;
    return matte ? Array.from({ length: Math.floor((range.last - first) / CHUNK) + 1 }, (_, i) => first + i * CHUNK) : [];
  }, [matte, range.first, range.last]);
  // One after the other: the picture itself must not wait for them.
  const [done, setDone] = useState(0);
  const told = useQueries({
    queries: firsts.map((first, i) => ({
      enabled: i <= done,
      queryKey: ["steadiness", shot.id, revision, matte, state, first],
      queryFn: async () =>
        data<Steadiness[]>(
          await api.GET("/api/shots/{shot_id}/revisions/{number}/mattes/{matte}/steadiness/{first}", {
            params: { path: { shot_id: shot.id, number: revision, matte: matte ?? "", first }, query: { count: CHUNK, state } },
          }),
        ),
      staleTime: Infinity,
      retry: false,
    })),
    combine: (all) => ({ frames: all.flatMap((a) => a.data ?? []), asking: all.some((a) => a.isPending), done: all.findIndex((a) => a.isPending) }),
  });
  useEffect(() => setDone(told.done < 0 ? firsts.length : told.done), [firsts.length, told.done]);
  const view = isMatteView(shown) ? shown : "alone";
  return useMemo(
    () =>
      matte
        ? {
            url: (frame: number) => urls.matteEdges(shot.id, revision, matte, view, frame, state),
            steady: new Map(told.frames.map((f) => [f.frame, f])),
            asking: told.asking,
          }
        : null,
    [matte, revision, shot.id, state, told, view],
  );
}
