/** How what lies on the chosen surface sits: what was measured, and changing it. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, data, type Edit, type JobView, type Proposal, type Proposals, type SurfaceMatch } from "../../../api/client";
import { useJobs } from "../../../api/queries";
import { isOpen } from "../../../ui/JobPill";
import { useWork } from "../../context";
import { newMatch } from "../../model/match";

export type Matching = {
  match: SurfaceMatch;
  found: Proposals | null;
  proposals: Proposal[];
  job: JobView | null;
  measure: () => void;
  set: (match: SurfaceMatch) => void;
  setEdit: (match: SurfaceMatch) => Edit;
};

export function useMatching(): Matching | null {
  const { shot, document, surface, edit, act } = useWork();
  const client = useQueryClient();
  const job = useJobs().data?.find((j) => j.kind === "match" && j.shot_id === shot.id && j.title === `Measuring ${surface?.name}` && isOpen(j)) ?? null;
  const told = useQuery({
    queryKey: ["proposals", shot.id, shot.revision],
    queryFn: async () => data<Proposals[]>(await api.GET("/api/shots/{shot_id}/proposals", { params: { path: { shot_id: shot.id } } })),
    placeholderData: (before: Proposals[] | undefined) => before,
  }).data;
  if (!surface) return null;
  const found = told?.find((p) => p.surface === surface.id) ?? null;
  const setEdit = (match: SurfaceMatch) => ({ kind: "set_match", match }) as Edit;
  return {
    match: document.match.find((m) => m.surface === surface.id) ?? newMatch(surface.id),
    found,
    job,
    setEdit,
    proposals: found?.proposals ?? [],
    measure: () =>
      void act(async () => {
        await api.POST("/api/shots/{shot_id}/surfaces/{surface_id}/match", { params: { path: { shot_id: shot.id, surface_id: surface.id } } });
        await client.invalidateQueries({ queryKey: ["jobs"] });
        return null;
      }),
    set: (match) => void edit(setEdit(match)),
  };
}
