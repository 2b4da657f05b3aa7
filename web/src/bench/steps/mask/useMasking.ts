/** The matte and the part of it that are worked on, and changing them. */
import type { Edit, Matte, MattePart } from "../../../api/client";
import { useWork } from "../../context";
import { added, chosenMatte, newMatte, withPart } from "../../model/matte";
import { setBench, useBench } from "../../state";

export type Masking = {
  matte: Matte | null;
  index: number | null;
  part: MattePart | null;
  set: (matte: Matte) => void;
  partEdit: (change: Partial<MattePart>) => Edit;
  setPart: (change: Partial<MattePart>) => void;
  add: (part: MattePart) => void;
};

/** An edit that makes a matte or changes it. */
export function matteEdit(matte: Matte, inFrontOf: string | null = null): Edit {
  return { kind: "set_matte", matte, in_front_of: inFrontOf } as Edit;
}

export function useMasking(): Masking {
  const { document, surface, edit } = useWork();
  const id = useBench((s) => s.matte);
  const at = useBench((s) => s.part);
  const matte = chosenMatte(document.mattes, id, surface?.id);
  // Below 0: none is in hand, the next one drawn begins a part of its own.
  const index = matte && matte.parts.length && (at ?? 0) >= 0 ? Math.min(at ?? 0, matte.parts.length - 1) : null;
  const part = index === null ? null : (matte?.parts[index] ?? null);
  const partEdit = (change: Partial<MattePart>): Edit => {
    if (!matte || index === null || !part) throw new Error("no part is chosen");
    return matteEdit(withPart(matte, index, { ...part, ...change } as MattePart));
  };
  return {
    matte,
    index,
    part,
    partEdit,
    set: (m) => void edit(matteEdit(m)),
    setPart: (change) => void edit(partEdit(change)),
    add: (one) => {
      const fresh = matte ?? newMatte(surface?.id ?? null, document.mattes);
      // A first matte is kept in front of what lies on the surface: that is what it is for.
      const below = matte ? null : (document.placements.find((p) => p.surface === surface?.id)?.id ?? null);
      setBench({ matte: fresh.id, part: fresh.parts.length });
      void edit(matteEdit(added(fresh, one), below));
    },
  };
}
