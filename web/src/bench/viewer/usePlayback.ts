/** Playing at the plate's rate from pictures in memory; a picture that is not there in time is counted as dropped. */
import { useEffect } from "react";
import { useWork } from "../context";
import { setBench, useBench } from "../state";
import { frameCache } from "./frames";
import { useFrameUrl } from "./useFrameUrls";

/** Pictures fetched ahead, and those that must be here before playing begins; results take longer to make. */
const AHEAD = { plate: 36, result: 110, analysis: 110, coverage: 110, still: 110, straight: 110, alone: 110, over: 110, cut: 110, zones: 110, difference: 110 };
const BEFORE = { plate: 12, result: 72, analysis: 72, coverage: 72, still: 72, straight: 72, alone: 72, over: 72, cut: 72, zones: 72, difference: 72 };

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
    let told = -1;
    let handle = 0;
    setBench({ dropped: 0, played: 0 });
    const fetchAhead = (from: number) => {
      for (let i = 0; i <= Math.min(AHEAD[shown], ready - 1); i++) void frameCache.get(urlOf(shown, (((from + i * playing) % ready) + ready) % ready));
    };
    fetchAhead(origin);
    const tick = (now: number) => {
      handle = requestAnimationFrame(tick);
      if (begun === null) {
        const need = Math.min(BEFORE[shown], ready);
        let here = 0;
        while (here < need && frameCache.peek(urlOf(shown, (((origin + here * playing) % ready) + ready) % ready))) here++;
        if (here < need) {
          setBench({ gathered: here / need });
          return;
        }
        setBench({ gathered: null });
        begun = now;
      }
      const elapsed = Math.floor(((now - begun) / 1000) * rate);
      const frame = (((origin + elapsed * playing) % ready) + ready) % ready;
      if (elapsed === told) return;
      const here = frameCache.peek(urlOf(shown, frame));
      const state = useBench.getState();
      if (here) {
        setBench({ frame, played: state.played + 1, dropped: state.dropped + Math.max(0, elapsed - told - 1) });
        told = elapsed;
      }
      fetchAhead(frame);
    };
    handle = requestAnimationFrame(tick);
    const jumped = useBench.subscribe((s, before) => {
      if (Math.abs(s.frame - before.frame) > 12 && s.frame !== 0 && before.frame !== 0) {
        origin = s.frame;
        begun = null;
        told = -1;
      }
    });
    return () => {
      cancelAnimationFrame(handle);
      setBench({ gathered: null });
      jumped();
    };
  }, [playing, ready, rate, shown, urlOf]);
}
