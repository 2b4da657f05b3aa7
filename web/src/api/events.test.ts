import { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, expect, test, vi } from "vitest";
import { api } from "./client";
import { listen } from "./events";
import { keys, takeFramesQuery } from "./queries";

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
  expect(asked).toEqual(["projects", "slots"]);
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

const framesOf = (take: string) => client.getQueryData<Map<number, { status: string }>>(keys.takeFrames(take));

test("followed frames come with the news, those that come together at once, and nothing is asked for", async () => {
  const get = vi.spyOn(api, "GET");
  client.setQueryData(keys.takeFrames("t"), new Map([[4, { frame: 4, status: "followed" }]]));
  const seen: number[] = [];
  client.getQueryCache().subscribe(() => seen.push(framesOf("t")?.size ?? 0));
  Stream.last.tell({ kind: "frame", take: "t", frame: 5, shown: { frame: 5, status: "followed" } });
  Stream.last.tell({ kind: "frame", take: "t", frame: 6, shown: { frame: 6, status: "lost" } });
  Stream.last.tell({ kind: "frame", take: "t", frame: 6, shown: { frame: 6, status: "followed" } });
  await vi.advanceTimersByTimeAsync(50);
  expect(get).not.toHaveBeenCalled();
  expect([...(framesOf("t")?.keys() ?? [])]).toEqual([4, 5, 6]);
  expect(framesOf("t")?.get(6)?.status).toBe("followed");
  expect(seen.filter((n) => n === 2)).toHaveLength(0);
  expect(asked).toEqual([]);
});

test("frames of a take that nobody looks at are not kept", async () => {
  Stream.last.tell({ kind: "frame", take: "elsewhere", frame: 5, shown: { frame: 5, status: "followed" } });
  await vi.advanceTimersByTimeAsync(50);
  expect(framesOf("elsewhere")).toBeUndefined();
});

test("frames announced before the take is known find their place once it is", async () => {
  const tell = async (frame: number, take = "t") => {
    Stream.last.tell({ kind: "frame", take, frame, shown: { frame, status: "followed" } });
    await vi.advanceTimersByTimeAsync(100);
  };
  await tell(5);
  client.setQueryData(keys.takeFrames("t"), new Map([[4, { frame: 4, status: "followed" }]]));
  await tell(6);
  expect([...(framesOf("t")?.keys() ?? [])]).toEqual([4, 5, 6]);
});

test("frames announced while a take is being read are there when it is", async () => {
  let answer: (value: unknown) => void = () => undefined;
  const get = vi.spyOn(api, "GET").mockReturnValue(
    new Promise((done) => {
      answer = done;
    }) as never,
  );
  void client.prefetchQuery(takeFramesQuery("t"));
  Stream.last.tell({ kind: "frame", take: "t", frame: 7, shown: { frame: 7, status: "followed" } });
  await vi.advanceTimersByTimeAsync(50);
  answer({ data: [{ frame: 3, status: "followed" }], response: new Response() });
  await vi.advanceTimersByTimeAsync(50);
  expect([...(framesOf("t")?.keys() ?? [])]).toEqual([3, 7]);
  get.mockRestore();
});

test("after the stream came back everything is read again, and in the end it is closed", () => {
  Stream.last.tell({ kind: "again" });
  expect(asked).toEqual(["everything"]);
  stop();
  expect(Stream.last.closed).toBe(true);
});
