/** What movement is left when the surface is held still, measured in the plate and not in the track. */
import { useQuery } from "@tanstack/react-query";
import { Button, Tooltip } from "antd";
import { useState } from "react";
import { api, data, type JitterView } from "../../api/client";
import { CornerGlyph } from "../../ui/corners";
import { useWork } from "../context";
import { medianOf, noiseOf, worstFrames } from "../model/jitter";
import { goTo, setBench } from "../state";
import { Note } from "./parts";

export function Remaining() {
  const { shot, surface, take, count, firstFrame } = useWork();
  const [asked, setAsked] = useState<string | null>(null);
  const key = `${take?.id} ${shot.revision}`;
  const wanted = asked === key;
  const found = useQuery({
    queryKey: ["jitter", shot.id, surface?.id, key],
    enabled: wanted,
    staleTime: Infinity,
    retry: false,
    queryFn: async () =>
      data<JitterView[]>(
        await api.GET("/api/shots/{shot_id}/surfaces/{surface_id}/jitter", { params: { path: { shot_id: shot.id, surface_id: surface?.id ?? "" } } }),
      ),
  });
  if (!surface || !take) return null;
  if (!wanted || found.isFetching) {
    return (
      <Tooltip title="Compares the region at each corner with the reference frame, frame by frame; takes some seconds">
        <Button size="small" loading={found.isFetching} onClick={() => setAsked(key)} data-testid="ask-jitter">
          How still is it held?
        </Button>
      </Tooltip>
    );
  }
  if (found.error) return <Note tone="warn">{found.error.message}</Note>;
  const rows = found.data ?? [];
  const medians = [0, 1, 2, 3].map((i) => medianOf(rows, i));
  const noise = [0, 1, 2, 3].map((i) => noiseOf(rows, i));
  const worst = worstFrames(rows, 6);
  return (
    <div className="rows" data-testid="jitter">
      <div className="doubts">
        {medians.map((m, i) => (
          <span key={i} className="mono">
            <CornerGlyph corner={i} size={9} /> {m === null ? "-" : m.toFixed(2)}
          </span>
        ))}
        <span className="mono quiet">px</span>
      </div>
      <div className="doubts quiet" data-testid="jitter-noise">
        {noise.map((m, i) => (
          <span key={i} className="mono">
            <CornerGlyph corner={i} size={9} /> {m === null ? "-" : m.toFixed(2)}
          </span>
        ))}
        <span className="mono">noise</span>
      </div>
      <Note>
        {medians.every((m) => m === null)
          ? "Nothing of the region lies at the corners to compare."
          : "How far each corner usually moves, measured in the plate. The second row is what noise alone would show. The shakiest frames:"}
      </Note>
      <div className="row wrap">
        {worst.map((w) => (
          <Button
            key={w.frame}
            size="small"
            onClick={() => {
              goTo(w.frame, count);
              setBench({ selection: { kind: "corner", corner: w.corner } });
            }}
          >
            <span className="mono">
              {w.frame + firstFrame}: {w.px.toFixed(2)}
            </span>
          </Button>
        ))}
      </div>
    </div>
  );
}
