/** Starting and stopping the tracking of the chosen surface. */
import { useQueryClient } from "@tanstack/react-query";
import { useMemo } from "react";
import { api, data, type FollowView, type JobView } from "../api/client";
import { keys, type TakeFrames, useJobs } from "../api/queries";
import { isOpen, stopJob } from "../ui/JobPill";
import { useWork } from "./context";

export type Direction = "forwards" | "backwards" | "both";

export type Tracking = {
  job: JobView | undefined;
  start: (direction: Direction) => Promise<unknown>;
  /** Follow a span of frames again, led into from what is kept beside it. */
  again: (span: [number, number], direction?: Direction) => Promise<unknown>;
  /** Follow one single point by itself: at all frames, or over a span from a frame at which it is known. */
  followPoint: (point: string, span: [number, number] | null, from: number) => Promise<unknown>;
  /** Follow every surface that has corners, the nearest first. */
  startAll: () => Promise<unknown>;
  stop: () => Promise<unknown>;
};

export function useTracking(): Tracking {
  const { shot, surface, act } = useWork();
  const client = useQueryClient();
  const jobs = useJobs().data;
  const job = jobs?.find((j) => j.kind === "track" && isOpen(j) && j.shot_id === shot.id && j.take_id === surface?.take);

  return useMemo(() => {
    const begin = async (direction: Direction, span: [number, number] | null, only: { point: string; begin: number } | null = null) => {
      if (!surface || job) return;
      await act(async () => {
        const {
          shot: view,
          frames,
          ...begun
        } = data<FollowView>(
          await api.POST("/api/shots/{shot_id}/track", {
            params: { path: { shot_id: shot.id } },
            body: { surface: surface.id, direction, span, point: only?.point ?? null, begin: only?.begin ?? 0 },
          }),
        );
        client.setQueryData<JobView[]>(keys.jobs, (old) => [begun, ...(old ?? [])]);
        // What is announced from now on is to find its place beside what the take begins with.
        if (begun.take_id)
          client.setQueryData<TakeFrames>(keys.takeFrames(begun.take_id), (old) => new Map([...frames.map((f) => [f.frame, f] as const), ...(old ?? [])]));
        return view;
      });
    };
    return {
      job,
      start: (direction) => begin(direction, null),
      again: (span, direction = "both") => begin(direction, span),
      followPoint: (point, span, from) => begin("both", span, { point, begin: from }),
      startAll: async () => {
        await act(() => api.POST("/api/shots/{shot_id}/track-all", { params: { path: { shot_id: shot.id } }, body: { direction: "both" } }).then(() => null));
        await client.invalidateQueries({ queryKey: keys.jobs });
      },
      stop: async () => {
        if (job) await stopJob(job.id);
      },
    };
  }, [act, client, job, shot.id, surface]);
}
