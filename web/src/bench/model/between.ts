/** Values between keys over time. Pure; the same rule as the core's. */
type At = { frame: number; ease: "linear" | "eased" | "held" };

/** The keys around a frame, and how far it is from the first to the second; held before the first and after the last. */
export function between<K extends At>(keys: readonly K[], frame: number): { a: K; b: K; t: number } | null {
  const before = keys.filter((k) => k.frame <= frame).at(-1);
  const after = keys.find((k) => k.frame > frame);
  const only = before ?? after;
  if (!only) return null;
  if (!before || !after) return { a: only, b: only, t: 0 };
  const linear = (frame - before.frame) / (after.frame - before.frame);
  return { a: before, b: after, t: before.ease === "held" ? 0 : before.ease === "eased" ? linear * linear * (3 - 2 * linear) : linear };
}
