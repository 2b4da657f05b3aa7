/** What every part of the Bench works on. */
import { createContext, useContext } from "react";
import type { MediaView, Shot, ShotView, Surface, TakeView } from "../api/client";
import type { TakeFrames } from "../api/queries";
import type { ShotEdits } from "./useShotEdits";

export type BenchWork = ShotEdits & {
  shot: ShotView;
  document: Shot;
  plate: MediaView;
  count: number;
  rate: number;
  firstFrame: number;
  pixelAspect: number;
  surface: Surface | null;
  take: TakeView | null;
  /** The chosen take as it is used. */
  frames: TakeFrames | undefined;
  /** The same as it was followed, before anything was held, calmed or carried: crops are cut around it. */
  followedFrames: TakeFrames | undefined;
  /** Another take that is compared with the chosen one, as it was followed. */
  besideFrames: TakeFrames | undefined;
  framesOf: (surface: Surface) => TakeFrames | undefined;
};

export const BenchContext = createContext<BenchWork | null>(null);

export function useWork(): BenchWork {
  const work = useContext(BenchContext);
  if (!work) throw new Error("outside the Bench");
  return work;
}
