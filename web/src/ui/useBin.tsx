/** Putting things into the bin and taking them out again: every removal offers to be undone at once. */
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { App, Button } from "antd";
import { useMemo } from "react";
import { api, data, type RemovedView } from "../api/client";
import { keys } from "../api/queries";

export type Kind = RemovedView["kind"];

export function useBin() {
  return useQuery({ queryKey: keys.bin, queryFn: async () => data<RemovedView[]>(await api.GET("/api/bin")) });
}

const removeOne: Record<Kind, (id: string) => Promise<unknown>> = {
  project: (id) => api.DELETE("/api/projects/{project_id}", { params: { path: { project_id: id } } }),
  shot: (id) => api.DELETE("/api/shots/{shot_id}", { params: { path: { shot_id: id } } }),
  media: (id) => api.DELETE("/api/media/{media_hash}", { params: { path: { media_hash: id } } }),
};
const restoreOne: Record<Kind, (id: string) => Promise<unknown>> = {
  project: (id) => api.POST("/api/projects/{project_id}/restore", { params: { path: { project_id: id } } }),
  shot: (id) => api.POST("/api/shots/{shot_id}/restore", { params: { path: { shot_id: id } } }),
  media: (id) => api.POST("/api/media/{media_hash}/restore", { params: { path: { media_hash: id } } }),
};

export function useBinEdits() {
  const client = useQueryClient();
  const { notification } = App.useApp();
  return useMemo(() => {
    const refresh = () => Promise.all([keys.projects, keys.media, keys.bin].map((queryKey) => client.invalidateQueries({ queryKey })));
    const attempt = async (work: () => Promise<unknown>): Promise<boolean> => {
      try {
        await work();
        await refresh();
        return true;
      } catch (error) {
        notification.warning({ message: "Not done", description: (error as Error).message });
        return false;
      }
    };
    const restore = (kind: Kind, id: string) => attempt(() => restoreOne[kind](id));
    const remove = async (kind: Kind, id: string, name: string) => {
      if (!(await attempt(() => removeOne[kind](id)))) return;
      const key = `removed-${id}`;
      const back = () => {
        notification.destroy(key);
        void restore(kind, id);
      };
      notification.info({
        key,
        message: `${name} is in the bin`,
        description: "It stays there for 30 days.",
        duration: 10,
        btn: (
          <Button size="small" onClick={back} data-testid="undo-removal">
            Undo
          </Button>
        ),
      });
    };
    return { attempt, remove, restore };
  }, [client, notification]);
}
