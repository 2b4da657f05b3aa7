import { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { api } from "./client";
import { listen } from "./events";
import { keys } from "./queries";

/** A stand-in for the server's stream of events. */
class Stream {
  static last: Stream;
  onmessage: ((message: { data: string }) => void) | null = null;
  closed = false;
  constructor(readonly url: string) {
    Stream.last = this;
  }
  close() {
    this.closed = true;
  }
  tell(note: object) {
    this.onmessage?.({ data: JSON.stringify(note) });
  }
}

let client: QueryClient;
let asked: unknown[];
let stop: () => void;

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal("EventSource", Stream);
  client = new QueryClient();
  asked = [];
  vi.spyOn(client, "invalidateQueries").mockImplementation((filter) => {
    asked.push(filter?.queryKey?.[0] ?? "everything");
    return Promise.resolve();
  });
  stop = listen(client);
});
afterEach(() => {
  stop();
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

test("news of an edit that is here already asks for nothing of the shot", async () => {
  client.setQueryData(keys.shot("a"), { revision: 7 });
  Stream.last.tell({ kind: "shot", shot: "a", revision: 7 });
  await vi.advanceTimersByTimeAsync(500);
  expect(asked).toEqual(["projects"]);
});

test("an edit from elsewhere, or an undo, has the shot read again", async () => {
  client.setQueryData(keys.shot("a"), { revision: 7 });
  Stream.last.tell({ kind: "shot", shot: "a", revision: 6 });
  await vi.advanceTimersByTimeAsync(500);
  expect(asked).toContain("shot");
});

test("a running job has its figures read now and then, a finished one everything at once", async () => {
  for (let i = 0; i < 10; i++) {
    Stream.last.tell({ kind: "job", job: "j", state: "running" });
    await vi.advanceTimersByTimeAsync(100);
  }
  expect(asked.filter((k) => k === "shot")).toHaveLength(0);
  expect(asked.filter((k) => k === "jobs").length).toBeLessThanOrEqual(4);
  await vi.advanceTimersByTimeAsync(1000);
  expect(asked.filter((k) => k === "shot")).toHaveLength(1);
  asked.length = 0;
  Stream.last.tell({ kind: "job", job: "j", state: "done" });
  await vi.advanceTimersByTimeAsync(400);
  expect(new Set(asked)).toEqual(new Set(["jobs", "shot", "projects"]));
});

test("followed frames are read by themselves, those that come together at once", async () => {
  const get = vi.spyOn(api, "GET").mockResolvedValue({ data: [{ frame: 5 }, { frame: 6 }], response: new Response() } as never);
  client.setQueryData(keys.takeFrames("t"), new Map());
  Stream.last.tell({ kind: "frame", take: "t", frame: 5 });
  Stream.last.tell({ kind: "frame", take: "t", frame: 6 });
  await vi.advanceTimersByTimeAsync(50);
  expect(get).toHaveBeenCalledTimes(1);
  expect(get.mock.calls[0]?.[1]).toEqual({ params: { path: { take_id: "t" }, query: { only: [5, 6] } } });
  expect([...(client.getQueryData<Map<number, unknown>>(keys.takeFrames("t"))?.keys() ?? [])]).toEqual([5, 6]);
  expect(asked).toEqual([]);
});

test("after the stream came back everything is read again, and in the end it is closed", () => {
  Stream.last.tell({ kind: "again" });
  expect(asked).toEqual(["everything"]);
  stop();
  expect(Stream.last.closed).toBe(true);
});
