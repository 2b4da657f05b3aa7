/** Server state: what is read, and when it is read again. */
import { type QueryClient, useQuery } from "@tanstack/react-query";
import { api, data, type JobView, type MediaView, type PointView, type ProjectView, type ShotView, type SlotView, type TakeFrame } from "./client";

export const keys = {
  projects: ["projects"] as const,
  media: ["media"] as const,
  bin: ["bin"] as const,
  jobs: ["jobs"] as const,
  slots: (project: string) => ["slots", project] as const,
  shot: (id: string) => ["shot", id] as const,
  takeFrames: (take: string) => ["take-frames", take] as const,
};

/** Frames of the chosen take as they are used: held, calmed, carried. For `useQueries`. */
export function usedFramesQuery(shot: string, revision: number, surface: string, frames: number) {
  return {
    queryKey: ["used-frames", shot, surface, revision, frames] as const,
    queryFn: async (): Promise<TakeFrames> => {
      const params = { path: { shot_id: shot, surface_id: surface } };
      return new Map(data<TakeFrame[]>(await api.GET("/api/shots/{shot_id}/surfaces/{surface_id}/frames", { params })).map((f) => [f.frame, f]));
    },
    // The last answer stays until the next is here, so that nothing flickers.
    placeholderData: (before: TakeFrames | undefined) => before,
  };
}

export function useProjects() {
  return useQuery({ queryKey: keys.projects, queryFn: async () => data<ProjectView[]>(await api.GET("/api/projects")) });
}

export function useMedia() {
  return useQuery({ queryKey: keys.media, queryFn: async () => data<MediaView[]>(await api.GET("/api/media")) });
}

export function useSlots(project: string, wanted = true) {
  return useQuery({
    enabled: wanted,
    queryKey: keys.slots(project),
    queryFn: async () => data<SlotView[]>(await api.GET("/api/projects/{project_id}/slots", { params: { path: { project_id: project } } })),
  });
}

export function useJobs() {
  return useQuery({ queryKey: keys.jobs, queryFn: async () => data<JobView[]>(await api.GET("/api/jobs")) });
}

export function useShot(id: string) {
  return useQuery({
    queryKey: keys.shot(id),
    queryFn: async () => data<ShotView>(await api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: id } } })),
  });
}

export type TakeFrames = Map<number, TakeFrame>;

/** How the frames of a take are read; for `useQueries`. */
export function takeFramesQuery(take: string) {
  return {
    queryKey: keys.takeFrames(take),
    queryFn: async (): Promise<TakeFrames> => {
      const frames = data<TakeFrame[]>(await api.GET("/api/takes/{take_id}/frames", { params: { path: { take_id: take } } }));
      return new Map(frames.map((f) => [f.frame, f]));
    },
  };
}

export type TakePoints = Record<number, Record<string, PointView>>;

/** Single points of a take; read again every few frames while it runs, and once it is through. */
export function useTakePoints(take: string | null, frames: number, running: boolean): TakePoints | undefined {
  return useQuery({
    queryKey: ["take-points", take, running ? Math.ceil(frames / 10) : "through", running ? 0 : frames] as const,
    enabled: take !== null,
    queryFn: async (): Promise<TakePoints> => data<TakePoints>(await api.GET("/api/takes/{take_id}/points", { params: { path: { take_id: take ?? "" } } })),
    placeholderData: (before: TakePoints | undefined) => before,
  }).data;
}

/** Put frames that were announced beside those already here. */
export async function addFrames(client: QueryClient, take: string, fresh: Iterable<TakeFrame>): Promise<void> {
  const key = keys.takeFrames(take);
  // All of them are on their way, but may have set out before these were there.
  if (client.getQueryData(key) === undefined) await client.fetchQuery(takeFramesQuery(take));
  client.setQueryData<TakeFrames>(key, (old) => {
    const next = new Map(old);
    for (const f of fresh) next.set(f.frame, f);
    return next;
  });
}
