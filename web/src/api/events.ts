/** Listen to what changes on the server and read just that again. */
import type { QueryClient } from "@tanstack/react-query";
import type { ShotView, TakeFrame } from "./client";
import { addFrames, keys } from "./queries";

/** How often what changed is read again at most; followed frames come with the news and are waited for. */
const AT_MOST_EVERY_MS = { frames: 90, other: 350, running: 1500 };
/** The answer to one's own edit comes about when the news of it does. */
const PATIENCE_MS = 30;
/** Takes not known here whose frames are kept for a while. */
const UNKNOWN_TAKES = 2;

type Note = { kind: string; shot?: string; revision?: number; state?: string; take?: string; shown?: TakeFrame };

/** Begin listening; returns how to stop. */
export function listen(client: QueryClient): () => void {
  const source = new EventSource("/api/events");
  const waiting = new Map<string, Map<number, TakeFrame>>();
  const due = new Set<string>();
  const behind = new Map<string, number>();

  /** Run some work soon: at once when it is quiet, else after its time. */
  const paced = (every: number, patience: number, work: () => void) => {
    let timer: number | undefined;
    let last = -every;
    const run = () => {
      timer = undefined;
      last = performance.now();
      work();
    };
    return { soon: () => (timer ??= window.setTimeout(run, Math.max(patience, every - (performance.now() - last)))), stop: () => window.clearTimeout(timer) };
  };
  const frames = paced(AT_MOST_EVERY_MS.frames, 0, () => {
    for (const [take, fresh] of waiting) {
      if (!client.getQueryState(keys.takeFrames(take))) continue;
      void addFrames(client, take, fresh.values());
      waiting.delete(take);
    }
    // The news of a new take may be faster than the answer that names it; takes of shots that are not open never get one.
    for (const take of [...waiting.keys()].slice(0, -UNKNOWN_TAKES)) waiting.delete(take);
  });
  const other = paced(AT_MOST_EVERY_MS.other, PATIENCE_MS, () => {
    for (const [shot, revision] of behind) {
      if ((client.getQueryData<ShotView>(keys.shot(shot))?.revision ?? revision) !== revision) due.add("shot");
    }
    for (const kind of due) void client.invalidateQueries({ queryKey: [kind] });
    behind.clear();
    due.clear();
  });
  // What a running job changes beside its frames is figures.
  const figures = paced(AT_MOST_EVERY_MS.running, AT_MOST_EVERY_MS.running, () => {
    for (const kind of ["shot", "projects"]) void client.invalidateQueries({ queryKey: [kind] });
  });
  source.onmessage = (message: MessageEvent<string>) => {
    const note = JSON.parse(message.data) as Note;
    if (note.kind === "again") return void client.invalidateQueries();
    if (note.kind === "frame" && note.take !== undefined && note.shown !== undefined) {
      waiting.set(note.take, (waiting.get(note.take) ?? new Map<number, TakeFrame>()).set(note.shown.frame, note.shown));
      return void frames.soon();
    }
    if (note.kind === "job" && (note.state === "waiting" || note.state === "running")) {
      due.add("jobs");
      figures.soon();
    } else if (note.kind === "job") for (const k of ["jobs", "shot", "projects"]) due.add(k);
    else if (note.kind === "shot" && note.shot !== undefined && note.revision !== undefined) {
      behind.set(note.shot, note.revision);
      for (const k of ["projects", "slots"]) due.add(k);
    } else if (note.kind === "media") for (const k of ["media", "shot", "projects", "bin"]) due.add(k);
    else if (note.kind === "slots") for (const k of ["slots", "shot", "projects"]) due.add(k);
    else if (note.kind === "proposals") due.add("proposals");
    else if (note.kind === "project") for (const k of ["projects", "bin"]) due.add(k);
    else for (const k of ["shot", "projects"]) due.add(k);
    other.soon();
  };
  return () => {
    source.close();
    frames.stop();
    other.stop();
    figures.stop();
  };
}
