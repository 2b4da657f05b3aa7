/** Playing at the plate's rate from pictures in memory; a picture that is not there in time is counted as dropped. */
import { useEffect } from "react";
import { useWork } from "../context";
import { setBench, useBench } from "../state";
import { frameCache } from "./frames";
import { useFrameUrl } from "./useFrameUrls";

const AHEAD = 36;

export function usePlayback(): void {
  const { count, rate, plate } = useWork();
  const urlOf = useFrameUrl();
  const playing = useBench((s) => s.playing);
  const shown = useBench((s) => s.shown);
  const ready = plate.state === "ready" ? count : Math.min(count, plate.proxies);

  useEffect(() => {
    if (playing === 0 || ready < 2) return undefined;
    let begun: number | null = null;
    let origin = useBench.getState().frame;
    let last = origin;
    let handle = 0;
    setBench({ dropped: 0, played: 0 });
    const fetchAhead = (from: number) => {
      for (let i = 0; i <= AHEAD; i++) void frameCache.get(urlOf(shown, (((from + i * playing) % ready) + ready) % ready));
    };
    fetchAhead(origin);
    const tick = (now: number) => {
      handle = requestAnimationFrame(tick);
      if (begun === null) {
        // Begin when a second's worth is in memory, so that the start does not stutter.
        const need = Math.min(12, ready);
        for (let i = 0; i < need; i++) if (!frameCache.peek(urlOf(shown, (((origin + i * playing) % ready) + ready) % ready))) return;
        begun = now;
      }
      const elapsed = Math.floor(((now - begun) / 1000) * rate);
      const frame = (((origin + elapsed * playing) % ready) + ready) % ready;
      if (frame === last) return;
      const here = frameCache.peek(urlOf(shown, frame));
      const skipped = Math.abs(frame - last) > 1 && Math.abs(frame - last) < ready - 1 ? Math.abs(frame - last) - 1 : 0;
      const state = useBench.getState();
      if (here) {
        setBench({ frame, played: state.played + 1, dropped: state.dropped + skipped });
        last = frame;
      }
      fetchAhead(frame);
    };
    handle = requestAnimationFrame(tick);
    const jumped = useBench.subscribe((s, before) => {
      if (Math.abs(s.frame - before.frame) > 12 && s.frame !== 0 && before.frame !== 0) {
        origin = s.frame;
        begun = null;
        last = origin;
      }
    });
    return () => {
      cancelAnimationFrame(handle);
      jumped();
    };
  }, [playing, ready, rate, shown, urlOf]);
}
