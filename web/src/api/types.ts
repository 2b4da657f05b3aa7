/** Names for what the API answers and takes. Types only. */
import type { components } from "./schema";

type Schemas = components["schemas"];
export type ShotView = Schemas["ShotView"];
export type Shot = ShotView["document"];
export type Surface = Shot["surfaces"][number];
export type Occluder = Shot["occluders"][number];
export type Placement = Shot["placements"][number];
export type Delivery = Shot["delivery"];
export type MediaView = Schemas["MediaView"];
export type JobView = Schemas["JobView"];
export type FollowView = Schemas["FollowView"];
export type TakeView = Schemas["TakeView"];
export type TakeFrame = Schemas["TakeFrameView"];
export type PointView = Schemas["PointView"];
export type PointFiguresView = Schemas["PointFiguresView"];
export type CrossingView = Schemas["CrossingView"];
export type FrameWorth = Schemas["FrameWorthView"];
export type JitterView = Schemas["JitterView"];
export type DisagreementView = Schemas["DisagreementView"];
export type LensView = Schemas["LensView"];
export type MotionAdviceView = Schemas["MotionAdvice"];
export type DeliveryView = Schemas["DeliveryView"];
export type ProjectView = Schemas["ProjectView"];
export type RemovedView = Schemas["RemovedView"];
export type ShotSummary = Schemas["ShotSummary"];
export type Uploaded = Schemas["Uploaded"];
export type Edit = Schemas["EditRequest"]["edits"][number];
