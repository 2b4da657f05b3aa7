/** Edits, undo and redo, one after the other, each on top of what the last one answered. */
import { useQueryClient } from "@tanstack/react-query";
import { App } from "antd";
import { useMemo, useRef } from "react";
import { api, ApiError, data, type Edit, type ShotView } from "../api/client";
import { keys } from "../api/queries";
import { flushNudge } from "./pendingNudge";

export type ShotEdits = {
  edit: (...edits: Edit[]) => Promise<boolean>;
  /** An edit that is told again and again while the hand moves: the newest counts, and all of one stroke are one step to undo. */
  live: (stroke: string, edit: Edit) => Promise<boolean>;
  undo: () => Promise<boolean>;
  redo: () => Promise<boolean>;
  /** Other work on the shot; where its answer has the shot already, that is not asked for again. */
  act: (work: (revision: number) => Promise<ShotView | null>) => Promise<boolean>;
};

export function useShotEdits(id: string): ShotEdits {
  const client = useQueryClient();
  const { notification } = App.useApp();
  const line = useRef<Promise<unknown>>(Promise.resolve());
  const coming = useRef(new Map<string, Edit>());
  const last = useRef<{ key: string; done: Promise<boolean> } | null>(null);

  return useMemo(() => {
    const key = keys.shot(id);
    const revision = () => client.getQueryData<ShotView>(key)?.revision ?? 0;
    const inTurn = (work: () => Promise<unknown>): Promise<boolean> => {
      const next = line.current.then(async () => {
        try {
          await work();
          return true;
        } catch (error) {
          const stale = error instanceof ApiError && error.code === "stale";
          notification.warning({ message: stale ? "Changed in another window" : "Not done", description: (error as Error).message, duration: 8 });
          await client.invalidateQueries({ queryKey: key });
          return false;
        }
      });
      line.current = next;
      return next;
    };
    const keep = async (view: ShotView) => {
      // An answer that set out before the edit must not arrive after it.
      await client.cancelQueries({ queryKey: key });
      client.setQueryData(key, view);
    };
    const path = { params: { path: { shot_id: id } } };
    return {
      edit: (...edits) => {
        flushNudge();
        // A field tells its value again while the first telling is under way: that is one edit, not two to undo.
        const key = JSON.stringify(edits);
        if (last.current?.key === key) return last.current.done;
        const done = inTurn(async () =>
          keep(data<ShotView>(await api.POST("/api/shots/{shot_id}/edits", { ...path, body: { base_revision: revision(), edits } }))),
        );
        const mine = { key, done };
        last.current = mine;
        void done.finally(() => {
          if (last.current === mine) last.current = null;
        });
        return done;
      },
      live: (stroke, edit) => {
        flushNudge();
        const waiting = coming.current.has(stroke);
        coming.current.set(stroke, edit);
        // What is on its way takes the newest of its own stroke along.
        if (waiting) return line.current.then(() => true);
        return inTurn(async () => {
          const newest = coming.current.get(stroke) ?? edit;
          coming.current.delete(stroke);
          await keep(data<ShotView>(await api.POST("/api/shots/{shot_id}/edits", { ...path, body: { base_revision: revision(), edits: [newest], stroke } })));
        });
      },
      undo: () => (
        flushNudge(),
        inTurn(async () => keep(data<ShotView>(await api.POST("/api/shots/{shot_id}/undo", { ...path, body: { base_revision: revision() } }))))
      ),
      redo: () => (
        flushNudge(),
        inTurn(async () => keep(data<ShotView>(await api.POST("/api/shots/{shot_id}/redo", { ...path, body: { base_revision: revision() } }))))
      ),
      act: (work) => {
        flushNudge();
        return inTurn(async () => {
          const view = await work(revision());
          if (view) await keep(view);
          else await client.invalidateQueries({ queryKey: key });
        });
      },
    };
  }, [client, id, notification]);
}
