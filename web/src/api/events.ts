/** Listen to what changes on the server and read just that again. */
import type { QueryClient } from "@tanstack/react-query";
import { addFrames } from "./queries";

const AT_MOST_EVERY_MS = 350;

type Note = { kind: string; shot?: string; take?: string; frame?: number };

/** Begin listening; returns how to stop. */
export function listen(client: QueryClient): () => void {
  const source = new EventSource("/api/events");
  const waiting = new Map<string, Set<number>>();
  const due = new Set<string>();
  let timer: number | undefined;
  let flushed = 0;

  const flush = () => {
    timer = undefined;
    flushed = performance.now();
    for (const [take, frames] of waiting) void addFrames(client, take, [...frames]);
    waiting.clear();
    for (const kind of due) void client.invalidateQueries({ queryKey: [kind] });
    due.clear();
  };
  source.onmessage = (message: MessageEvent<string>) => {
    const note = JSON.parse(message.data) as Note;
    if (note.kind === "again") void client.invalidateQueries();
    else if (note.kind === "frame" && note.take !== undefined && note.frame !== undefined) {
      waiting.set(note.take, (waiting.get(note.take) ?? new Set()).add(note.frame));
    } else if (note.kind === "job") for (const k of ["jobs", "shot", "projects"]) due.add(k);
    else if (note.kind === "media") for (const k of ["media", "shot", "projects"]) due.add(k);
    else for (const k of ["shot", "projects"]) due.add(k);
    // At once when it is quiet, a few times a second while a job tells of every frame.
    timer ??= window.setTimeout(flush, Math.max(30, AT_MOST_EVERY_MS - (performance.now() - flushed)));
  };
  return () => {
    source.close();
    window.clearTimeout(timer);
  };
}
