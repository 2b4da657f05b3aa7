/** Which views of the picture a step offers. */
export type StepId = "prepare" | "outline" | "track" | "inspect" | "place" | "mask" | "match" | "handover";
export type Shown = "plate" | "result" | "analysis" | "coverage" | "still" | "straight" | "alone" | "over" | "cut" | "zones" | "difference";

const EVERYWHERE: readonly Shown[] = ["plate", "result", "still", "straight"];
const OF_STEP: Partial<Record<StepId, readonly Shown[]>> = {
  mask: ["alone", "over", "zones", "cut"],
  match: ["difference"],
  handover: ["difference"],
};
const ELSEWHERE: readonly Shown[] = ["analysis", "coverage"];

/** Views of one step beside those that every step has. */
function ownViews(step: StepId): readonly Shown[] {
  return OF_STEP[step] ?? ELSEWHERE;
}

/** What is shown once a step is gone to: the same view where it has it, else the plate, which is always there. */
export function viewAt(step: StepId, shown: Shown): Shown {
  return EVERYWHERE.includes(shown) || ownViews(step).includes(shown) ? shown : "plate";
}
