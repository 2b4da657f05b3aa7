/** Which motion would be enough for the chosen take, with the figures of all. */
import { useQuery } from "@tanstack/react-query";
import { Button, Tooltip } from "antd";
import { useState } from "react";
import { api, data, type Edit, type MotionAdviceView } from "../../api/client";
import { useWork } from "../context";
import { MOTIONS } from "./motions";
import { Note } from "./parts";

export function MotionAdvice() {
  const { shot, surface, take, edit } = useWork();
  const [asked, setAsked] = useState<string | null>(null);
  const wanted = take !== null && asked === take.id;
  const advice = useQuery({
    queryKey: ["motions", shot.id, surface?.id, take?.id],
    enabled: wanted && surface !== null,
    staleTime: Infinity,
    retry: false,
    queryFn: async () =>
      data<MotionAdviceView>(
        await api.GET("/api/shots/{shot_id}/surfaces/{surface_id}/motions", { params: { path: { shot_id: shot.id, surface_id: surface?.id ?? "" } } }),
      ),
  });
  if (!surface || !take) return null;
  if (!wanted || advice.isFetching) {
    return (
      <Tooltip title="Fits every motion to points across the take; takes some seconds">
        <Button size="small" loading={advice.isFetching} onClick={() => setAsked(take.id)} data-testid="ask-motion">
          Which motion is enough?
        </Button>
      </Tooltip>
    );
  }
  if (advice.error) return <Note tone="warn">{advice.error.message}</Note>;
  const found = advice.data;
  if (!found) return null;
  const name = (motion: string) => MOTIONS.find((m) => m.value === motion)?.label ?? motion;
  return (
    <div className="rows" data-testid="motion-advice">
      <Note>{found.reason}</Note>
      <table className="figures">
        <thead>
          <tr>
            <th>motion</th>
            <th title="How far points lie off that this motion was fitted to, px">fitted</th>
            <th title="How far points lie off that it was not fitted to, px: the honest figure">tested</th>
          </tr>
        </thead>
        <tbody>
          {found.figures.map((f) => (
            <tr key={f.motion} className={f.motion === found.motion ? "enough" : undefined}>
              <td>{name(f.motion)}</td>
              <td className="mono">{f.residual_px.toFixed(3)}</td>
              <td className="mono">{f.left_out_px.toFixed(3)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {found.motion !== surface.motion && (
        <Button size="small" onClick={() => void edit({ kind: "set_motion", surface: surface.id, motion: found.motion } as Edit)}>
          Take over: {name(found.motion)}
        </Button>
      )}
    </div>
  );
}
