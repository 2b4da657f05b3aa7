/** Starting and stopping the tracking of the chosen surface. */
import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, type JobView } from "../api/client";
import { keys, useJobs } from "../api/queries";
import { isOpen, stopJob } from "../ui/JobPill";
import { useWork } from "./context";

export type Tracking = {
  job: JobView | undefined;
  start: (direction: "forwards" | "backwards" | "both") => Promise<unknown>;
  stop: () => Promise<unknown>;
};

export function useTracking(): Tracking {
  const { shot, surface, act } = useWork();
  const client = useQueryClient();
  const jobs = useJobs().data;
  const job = jobs?.find((j) => j.kind === "track" && isOpen(j) && j.shot_id === shot.id && j.take_id === surface?.take);

  return useMemo(
    () => ({
      job,
      start: async (direction) => {
        if (!surface || job) return;
        await act(() => api.POST("/api/shots/{shot_id}/track", { params: { path: { shot_id: shot.id } }, body: { surface: surface.id, direction } }));
        await client.invalidateQueries({ queryKey: keys.jobs });
      },
      stop: async () => {
        if (job) await stopJob(job.id);
      },
    }),
    [act, client, job, shot.id, surface],
  );
}
