/** What can be done with a project's shelf. */
import { useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useMemo } from "react";
import { api, type Artwork, type SlotView } from "../api/client";
import { keys } from "../api/queries";

export function useShelf(project: string) {
  const client = useQueryClient();
  const { notification } = App.useApp();
  return useMemo(() => {
    const attempt = async (work: () => Promise<unknown>): Promise<boolean> => {
      try {
        await work();
        await Promise.all([keys.slots(project), ["shot"], keys.projects].map((queryKey) => client.invalidateQueries({ queryKey })));
        return true;
      } catch (error) {
        notification.warning({ message: "Not done", description: (error as Error).message });
        return false;
      }
    };
    const at = (key: string) => ({ params: { path: { project_id: project, key } } });
    return {
      make: (name: string, artwork: Artwork) =>
        attempt(() =>
          api.POST("/api/projects/{project_id}/slots", {
            params: { path: { project_id: project } },
            body: { name, artwork, revision: "", language: "", note: "" },
          }),
        ),
      addVersion: (slot: SlotView, artwork: Artwork, told: { revision: string; language: string; note: string } = { revision: "", language: "", note: "" }) =>
        attempt(() => api.POST("/api/projects/{project_id}/slots/{key}/versions", { ...at(slot.key), body: { artwork, ...told } })),
      set: (slot: SlotView, change: { name?: string; current?: number }) =>
        attempt(() => api.PUT("/api/projects/{project_id}/slots/{key}", { ...at(slot.key), body: { name: slot.name, current: slot.current, ...change } })),
      remove: (slot: SlotView) => attempt(() => api.DELETE("/api/projects/{project_id}/slots/{key}", at(slot.key))),
    };
  }, [client, notification, project]);
}

/** What a slot is told by while it is dragged. */
export const SLOT_DRAG = "application/x-verdigris-slot";
