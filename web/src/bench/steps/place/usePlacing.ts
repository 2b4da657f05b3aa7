/** The placement that is worked on, and changing it. */
import type { Artwork, Edit, Placement } from "../../../api/client";
import { useWork } from "../../context";
import { newPlacement } from "../../model/placing";
import { setBench, useBench } from "../../state";

export type Placing = {
  /** Placements on the chosen surface, and those that stand in the picture; nearest first. */
  stack: Placement[];
  chosen: Placement | null;
  set: (change: Partial<Placement>) => void;
  setEdit: (change: Partial<Placement>) => Edit;
  add: (artwork: Artwork, surface?: string | null) => void;
  /** Place what was drawn over a frame of the plate. */
  addDrawn: (artwork: Artwork, over: number) => void;
  /** Place what a slot of the project shows. */
  addSlot: (slot: string, surface?: string | null) => void;
};

export function usePlacing(): Placing {
  const { document, surface, edit } = useWork();
  const id = useBench((s) => s.placement);
  const stack = document.placements.filter((p) => !p.surface || p.surface === surface?.id).reverse();
  const chosen = stack.find((p) => p.id === id) ?? stack[0] ?? null;
  const setEdit = (change: Partial<Placement>) => ({ kind: "set_placement", placement: { ...chosen, ...change } }) as Edit;
  const place = (placement: Placement) => {
    setBench({ placement: placement.id, shown: "result", wipe: null });
    void edit({ kind: "set_placement", placement } as Edit);
  };
  return {
    stack,
    chosen,
    setEdit,
    set: (change) => chosen && void edit(setEdit(change)),
    add: (artwork, on = surface?.id ?? null) => place(newPlacement(on, artwork, document.placements)),
    addDrawn: (artwork, over) => place({ ...newPlacement(surface?.id ?? null, artwork, document.placements), drawn_over: over }),
    addSlot: (slot, on = surface?.id ?? null) => place({ ...newPlacement(on, { kind: "slot" }, document.placements), slot }),
  };
}
