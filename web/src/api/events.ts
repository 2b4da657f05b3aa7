/** Listen to what changes on the server and read just that again. */
import type { QueryClient } from "@tanstack/react-query";
import { addFrames } from "./queries";

type Note = { kind: string; shot?: string; take?: string; frame?: number };

/** Begin listening; returns how to stop. */
export function listen(client: QueryClient): () => void {
  const source = new EventSource("/api/events");
  const waiting = new Map<string, Set<number>>();
  const due = new Set<string>();
  let timer: number | undefined;

  const flush = () => {
    timer = undefined;
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
    } else if (note.kind === "job") due.add("jobs");
    else if (note.kind === "media") for (const k of ["media", "shot", "projects"]) due.add(k);
    else for (const k of ["shot", "projects"]) due.add(k);
    timer ??= window.setTimeout(flush, 120);
  };
  return () => {
    source.close();
    window.clearTimeout(timer);
  };
}
