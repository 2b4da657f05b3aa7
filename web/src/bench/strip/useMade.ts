/** Rows that are made for the strip from the document: crops, and a bar for each frame, as they become known. */
import { useQueries } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import type { Range } from "./layout";

/** A bar: its height 0..1 of the room there is, its colour, and whether a notch marks it. */
export type Bar = { height: number; colour: string; notch: boolean };
export type MadeRows = {
  kind: "edge" | "pairs";
  url: (frame: number) => string;
  bars: ReadonlyMap<number, Bar>;
  /** How many frames are told of so far. */
  told: number;
  unit: string;
  /** What each row is, said when it is pointed at. */
  rows: readonly string[];
  /** What is being asked for; null when everything is here. */
  asking: string | null;
};

const CHUNK = 12;
/** While something is dragged, revisions go by faster than anybody looks at the strip. */
const CALM_MS = 500;

export function useCalm<T>(value: T): T {
  const [calm, setCalm] = useState(value);
  useEffect(() => {
    const later = window.setTimeout(() => setCalm(value), CALM_MS);
    return () => window.clearTimeout(later);
  }, [value]);
  return calm;
}

/** Ask for what is told of a range of frames, a chunk at a time, one after the other: the picture itself must not wait for them. */
export function useChunks<T>(
  key: readonly unknown[] | null,
  range: Range,
  ask: (first: number, count: number) => Promise<T[]>,
): { told: T[]; asking: boolean } {
  const firsts = useMemo(() => {
    const first = Math.floor(range.first / CHUNK) * CHUNK;
    return key ? Array.from({ length: Math.floor((range.last - first) / CHUNK) + 1 }, (_, i) => first + i * CHUNK) : [];
    // Asked anew when what is asked about is another.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [key === null, range.first, range.last]);
  const [done, setDone] = useState(0);
  const all = useQueries({
    queries: firsts.map((first, i) => ({
      enabled: i <= done,
      queryKey: [...(key ?? []), first],
      queryFn: () => ask(first, CHUNK),
      staleTime: Infinity,
      retry: false,
    })),
    combine: (found) => ({ told: found.flatMap((f) => f.data ?? []), asking: found.some((f) => f.isPending), done: found.findIndex((f) => f.isPending) }),
  });
  useEffect(() => setDone(all.done < 0 ? firsts.length : all.done), [firsts.length, all.done]);
  return all;
}
