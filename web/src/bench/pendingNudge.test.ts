import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { flushNudge, holdNudge, watchNudges } from "./pendingNudge";
import { setBench, START } from "./state";

describe("nudges", () => {
  beforeEach(() => {
    vi.useFakeTimers();
    setBench(START);
  });
  afterEach(() => {
    flushNudge();
    vi.useRealTimers();
  });

  it("that follow each other become one", () => {
    const sent: number[] = [];
    for (let i = 1; i <= 5; i++) {
      holdNudge("corners", () => sent.push(i));
      vi.advanceTimersByTime(300);
    }
    expect(sent).toEqual([]);
    vi.advanceTimersByTime(1000);
    expect(sent).toEqual([5]);
  });

  it("of another thing are sent by themselves", () => {
    const sent: string[] = [];
    holdNudge("corners", () => sent.push("corners"));
    holdNudge("mark:p1", () => sent.push("p1"));
    expect(sent).toEqual(["corners"]);
    flushNudge();
    expect(sent).toEqual(["corners", "p1"]);
  });

  it("are sent when the frame changes, and only once", () => {
    const sent: string[] = [];
    const stop = watchNudges();
    holdNudge("corners", () => sent.push("corners"));
    setBench({ overlays: false });
    expect(sent).toEqual([]);
    setBench({ frame: 7 });
    expect(sent).toEqual(["corners"]);
    stop();
    vi.advanceTimersByTime(2000);
    expect(sent).toEqual(["corners"]);
  });
});
