/** How the values lie that the bounds of the part in hand are set on. */
import { useQuery } from "@tanstack/react-query";
import { api, data, type Spread } from "../../../api/client";
import { useWork } from "../../context";
import { useCalmFrame } from "../../state";
import { useTakesState } from "../../viewer/useFrameUrls";
import { useMasking } from "./useMasking";

export function useSpread(): Spread | null {
  const { shot } = useWork();
  const { matte, part, index } = useMasking();
  const frame = useCalmFrame();
  const state = useTakesState();
  const bounded = part?.kind === "key" || part?.kind === "brightness" || part?.kind === "difference";
  return (
    useQuery({
      queryKey: ["spread", shot.id, shot.revision, matte?.id, index, state, frame],
      enabled: bounded,
      retry: false,
      placeholderData: (before: Spread | undefined) => before,
      queryFn: async () =>
        data<Spread>(
          await api.GET("/api/shots/{shot_id}/revisions/{number}/mattes/{matte}/parts/{part}/spread/{frame}", {
            params: { path: { shot_id: shot.id, number: shot.revision, matte: matte?.id ?? "", part: index ?? 0, frame }, query: { state } },
          }),
        ),
    }).data ?? null
  );
}
