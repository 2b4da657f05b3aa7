/** The edit that switches a part of a shot off, by the name that a refusal gives it: a placement's id, or `matte:part` from 1. Pure. */
import type { Edit, Shot } from "../../api/types";

export function switchedOff(document: Shot, part: string): Edit | null {
  const placement = document.placements.find((p) => p.id === part);
  if (placement) return { kind: "set_placement", placement: { ...placement, on: false } } as Edit;
  const [id, number] = part.split(":");
  const matte = document.mattes.find((m) => m.id === id);
  const at = Number(number) - 1;
  if (!matte || !matte.parts[at]) return null;
  return { kind: "set_matte", matte: { ...matte, parts: matte.parts.map((p, i) => (i === at ? { ...p, on: false } : p)) } } as Edit;
}
