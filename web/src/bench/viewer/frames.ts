/** Decoded pictures in memory: fetched ahead, shown at once, the oldest let go. */
import { useSyncExternalStore } from "react";

const MOST_FRAMES = 150;
/** Crops are small: those of some hundred frames stay. */
const MOST_CROPS = 900;
const AT_ONCE = 6;

/** Why a picture cannot be had: a sentence, and the part of the shot it comes from. */
export type Trouble = { sentence: string; part: string | null };
const MOST_TROUBLES = 50;

type Entry = { picture: ImageBitmap | null; promise: Promise<ImageBitmap | null> };

export class FrameCache {
  private entries = new Map<string, Entry>();
  private running = 0;
  private waiting: (() => void)[] = [];
  private troubles = new Map<string, Trouble>();
  private listeners = new Set<() => void>();

  constructor(
    private readonly most = MOST_FRAMES,
    private readonly atOnce = AT_ONCE,
  ) {}

  /** The picture if it is here already. */
  peek(url: string): ImageBitmap | null {
    const entry = this.entries.get(url);
    if (!entry) return null;
    this.entries.delete(url);
    this.entries.set(url, entry);
    return entry.picture;
  }

  /** The picture, fetched if need be; null when it cannot be had. */
  get(url: string): Promise<ImageBitmap | null> {
    const known = this.entries.get(url);
    if (known) return known.promise;
    const entry: Entry = { picture: null, promise: Promise.resolve(null) };
    entry.promise = this.load(url).then((picture) => {
      entry.picture = picture;
      // What could not be had now may be there later.
      if (!picture) this.entries.delete(url);
      return picture;
    });
    this.entries.set(url, entry);
    this.trim();
    return entry.promise;
  }

  /** Why a picture could not be had when it was last asked for. */
  troubleOf(url: string): Trouble | null {
    return this.troubles.get(url) ?? null;
  }

  /** Be told when a trouble comes or goes. */
  listen = (told: () => void): (() => void) => {
    this.listeners.add(told);
    return () => this.listeners.delete(told);
  };

  private setTrouble(url: string, trouble: Trouble | null): void {
    if (!trouble && !this.troubles.has(url)) return;
    this.troubles.delete(url);
    if (trouble) this.troubles.set(url, trouble);
    for (const old of [...this.troubles.keys()].slice(0, -MOST_TROUBLES)) this.troubles.delete(old);
    this.listeners.forEach((told) => told());
  }

  /** A picture that came another way. */
  put(url: string, picture: ImageBitmap): void {
    if (this.entries.get(url)?.picture) return picture.close();
    this.entries.set(url, { picture, promise: Promise.resolve(picture) });
    this.trim();
  }

  has(url: string): boolean {
    return this.entries.has(url);
  }

  private async load(url: string): Promise<ImageBitmap | null> {
    if (this.running >= this.atOnce) await new Promise<void>((go) => this.waiting.push(go));
    this.running++;
    try {
      const answer = await fetch(url);
      if (!answer.ok) {
        this.setTrouble(url, troubleIn(await answer.json().catch(() => null)));
        return null;
      }
      this.setTrouble(url, null);
      return await createImageBitmap(await answer.blob());
    } catch {
      return null;
    } finally {
      this.running--;
      this.waiting.shift()?.();
    }
  }

  private trim(): void {
    for (const [url, entry] of this.entries) {
      if (this.entries.size <= this.most) return;
      if (!entry.picture) continue;
      this.entries.delete(url);
      // Somebody may still be drawing it in this frame.
      setTimeout(() => entry.picture?.close(), 2000);
    }
  }
}

/** The trouble that an answer tells; none where another picture has taken its place. */
export function troubleIn(body: unknown): Trouble | null {
  const told = body as { title?: unknown; code?: unknown; facts?: { part?: unknown } } | null;
  if (typeof told?.title !== "string" || told.code === "superseded") return null;
  return { sentence: told.title, part: typeof told.facts?.part === "string" ? told.facts.part : null };
}

export function useTrouble(url: string): Trouble | null {
  return useSyncExternalStore(frameCache.listen, () => frameCache.troubleOf(url));
}

export const frameCache = new FrameCache();
export const cropCache = new FrameCache(MOST_CROPS);
/** Each is computed when it is asked for: one after the other, so that the picture itself never waits for them. */
export const edgeCache = new FrameCache(MOST_CROPS, 1);

const SHEET = 32;
const CROP = 64;
const asked = new Set<string>();

/** Fetch the crops of many frames a sheet at a time; those that are here or on their way already are left out. */
export function fetchSheets(take: string, wanted: readonly { frame: number; url: string }[], arrived: () => void): void {
  const missing = wanted.filter((w) => !cropCache.has(w.url) && !asked.has(w.url));
  for (let i = 0; i < missing.length; i += SHEET) {
    const part = missing.slice(i, i + SHEET);
    for (const w of part) asked.add(w.url);
    void sheet(take, part).then((came) => {
      for (const w of part) asked.delete(w.url);
      // What could not be had is asked for again when the strip is next drawn, not at once.
      if (came) arrived();
    });
  }
}

async function sheet(take: string, part: readonly { frame: number; url: string }[]): Promise<boolean> {
  const answer = await fetch(`/api/takes/${take}/crop-sheet?${part.map((w) => `frames=${w.frame}`).join("&")}`).catch(() => null);
  if (!answer?.ok) return false;
  const whole = await createImageBitmap(await answer.blob());
  await Promise.all(part.map(async (w, i) => cropCache.put(w.url, await createImageBitmap(whole, 0, i * CROP, whole.width, CROP))));
  whole.close();
  return true;
}
