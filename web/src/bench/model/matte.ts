/** Mattes: what new parts begin with, and lists of parts changed. Pure. */
import type { KeyPart, Matte, MattePart } from "../../api/types";
import type { Pair } from "./geometry";
import { freshId } from "./shot";

export const PART_NAMES: Record<MattePart["kind"], string> = {
  key: "Key",
  brightness: "Brightness",
  shape: "Shape",
  region: "Followed region",
  outline: "Outline in front",
  difference: "Difference",
  file: "Matte from a file",
};

export const SIGNS = { add: "+", subtract: "−", intersect: "×" } as const;
export const SIGN_HINTS = { add: "added", subtract: "taken away", intersect: "only where both are" } as const;

/** A matte as it begins. */
export function newMatte(surface: string | null, taken: readonly Pick<Matte, "id">[]): Matte {
  const id = freshId(
    "matte",
    taken.map((m) => m.id),
  );
  const n = taken.length + 1;
  return { id, name: n === 1 ? "In front" : `In front ${n}`, surface, parts: [] };
}

/** The matte that is worked on: the one that was chosen, else the surface's, else any. */
export function chosenMatte<M extends Pick<Matte, "id" | "surface">>(mattes: readonly M[], id: string | null, surface: string | undefined): M | null {
  return mattes.find((m) => m.id === id) ?? mattes.find((m) => m.surface === surface) ?? mattes[0] ?? null;
}

/** An area of bare screen as part of a key. */
export function withSample(part: KeyPart, frame: number, polygon: Pair[]): KeyPart {
  return { ...part, samples: [...part.samples, { frame, polygon }] };
}

export function withPart(matte: Matte, index: number, part: MattePart | null): Matte {
  const parts = part ? matte.parts.map((p, i) => (i === index ? part : p)) : matte.parts.filter((_, i) => i !== index);
  return { ...matte, parts };
}

export function added(matte: Matte, part: MattePart): Matte {
  return { ...matte, parts: [...matte.parts, part] };
}

/** A part moved to another row. */
export function movedTo(matte: Matte, from: number, to: number): Matte {
  const parts = [...matte.parts];
  const [one] = parts.splice(from, 1);
  if (!one) return matte;
  parts.splice(Math.min(Math.max(0, to), parts.length), 0, one);
  return { ...matte, parts };
}

/** One sentence on what a part is made of. */
export function partText(part: MattePart, firstFrame: number): string {
  if (part.kind === "key") {
    const frames = [...new Set(part.samples.map((s) => s.frame + firstFrame))];
    return `${part.samples.length} ${part.samples.length === 1 ? "sample" : "samples"}, frame ${frames.join(", ")}`;
  }
  if (part.kind === "brightness") return `${part.channel}, ${Math.round(part.low[0] * 255)}-${Math.round(part.low[1] * 255)}`;
  if (part.kind === "shape") return `${part.keys.length} ${part.keys.length === 1 ? "key" : "keys"}${part.rides ? "" : ", stands still"}`;
  return "";
}
