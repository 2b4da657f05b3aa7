/** Listen to what changes on the server and read just that again. */
import type { QueryClient } from "@tanstack/react-query";
import { addFrames } from "./queries";

/** How often what changed is read again at most; followed frames are little to read and are waited for. */
const AT_MOST_EVERY_MS = { frames: 90, other: 350 };

type Note = { kind: string; shot?: string; take?: string; frame?: number };

/** Begin listening; returns how to stop. */
export function listen(client: QueryClient): () => void {
  const source = new EventSource("/api/events");
  const waiting = new Map<string, Set<number>>();
  const due = new Set<string>();

  /** Run some work soon: at once when it is quiet, else after its time. */
  const paced = (every: number, work: () => void) => {
    let timer: number | undefined;
    let last = -every;
    const run = () => {
      timer = undefined;
      last = performance.now();
      work();
    };
    return { soon: () => (timer ??= window.setTimeout(run, Math.max(0, every - (performance.now() - last)))), stop: () => window.clearTimeout(timer) };
  };
  const frames = paced(AT_MOST_EVERY_MS.frames, () => {
    for (const [take, numbers] of waiting) void addFrames(client, take, [...numbers]);
    waiting.clear();
  });
  const other = paced(AT_MOST_EVERY_MS.other, () => {
    for (const kind of due) void client.invalidateQueries({ queryKey: [kind] });
    due.clear();
  });
  source.onmessage = (message: MessageEvent<string>) => {
    const note = JSON.parse(message.data) as Note;
    if (note.kind === "again") return void client.invalidateQueries();
    if (note.kind === "frame" && note.take !== undefined && note.frame !== undefined) {
      waiting.set(note.take, (waiting.get(note.take) ?? new Set()).add(note.frame));
      return void frames.soon();
    }
    if (note.kind === "job") for (const k of ["jobs", "shot", "projects"]) due.add(k);
    else if (note.kind === "media") for (const k of ["media", "shot", "projects"]) due.add(k);
    else for (const k of ["shot", "projects"]) due.add(k);
    other.soon();
  };
  return () => {
    source.close();
    frames.stop();
    other.stop();
  };
}
