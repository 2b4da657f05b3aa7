/** Ways to hold the plate still on a surface, in words. */
import type { Held } from "./state";

export const HELD: { value: Held; label: string }[] = [
  { value: "position", label: "position" },
  { value: "turn", label: "position and turn" },
  { value: "size", label: "position, turn and size" },
  { value: "full", label: "fully" },
];
