/** Nudges that follow each other within a second become one edit: one step to undo, however long the key is held. */
import { useBench } from "./state";

const PATIENCE_MS = 900;

type Pending = { what: string; send: () => void; timer: number };
let pending: Pending | null = null;

/** Send what was nudged so far, at once. */
export function flushNudge(): void {
  if (!pending) return;
  const { send, timer } = pending;
  pending = null;
  window.clearTimeout(timer);
  send();
}

/** Keep a nudge until the hand rests; `what` is what is nudged, and another thing's nudge is sent before. */
export function holdNudge(what: string, send: () => void): void {
  if (pending && pending.what !== what) flushNudge();
  if (pending) window.clearTimeout(pending.timer);
  pending = { what, send, timer: window.setTimeout(flushNudge, PATIENCE_MS) };
}

/** What is nudged belongs to its frame: going on sends it, and so does leaving the page; returns how to stop. */
export function watchNudges(): () => void {
  const stop = useBench.subscribe((now, before) => {
    if (now.frame !== before.frame || now.step !== before.step || now.surface !== before.surface) flushNudge();
  });
  const hidden = () => flushNudge();
  document.addEventListener("visibilitychange", hidden);
  window.addEventListener("pagehide", hidden);
  return () => {
    stop();
    flushNudge();
    document.removeEventListener("visibilitychange", hidden);
    window.removeEventListener("pagehide", hidden);
  };
}
