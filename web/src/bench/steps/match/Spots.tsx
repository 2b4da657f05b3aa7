/** Places on the old surface whose code is known: bare paper, black ink, a blank screen. */
import { Button, ColorPicker, Tooltip } from "antd";
import { hexOf, rgbOf } from "../../../shelf/artwork";
import { useWork } from "../../context";
import { goTo, useBench } from "../../state";
import { setTool } from "../../tools";
import type { Matching } from "./useMatching";

export function Spots({ matching }: { matching: Matching }) {
  const { firstFrame, count } = useWork();
  const { match, set } = matching;
  const tool = useBench((s) => s.tool);
  return (
    <div className="rows">
      {match.spots.map((spot, i) => (
        <div key={i} className="row apart" data-testid="spot">
          <button className="plain link small" onClick={() => goTo(spot.frame, count)}>
            spot at {spot.frame + firstFrame}
          </button>
          <span className="row">
            <Tooltip title="What the old surface had there">
              <ColorPicker
                size="small"
                disabledAlpha
                showText
                value={hexOf(spot.code)}
                onChangeComplete={(c) => set({ ...match, spots: match.spots.map((x, k) => (k === i ? { ...x, code: rgbOf(c.toHex()) } : x)) })}
              />
            </Tooltip>
            <Button size="small" aria-label={`take spot ${i + 1} out`} onClick={() => set({ ...match, spots: match.spots.filter((_, k) => k !== i) })}>
              ×
            </Button>
          </span>
        </div>
      ))}
      <Tooltip title="Click around bare paper, black ink, or the blank screen, then Enter; then say its colour">
        <Button size="small" type={tool === "spot" ? "primary" : "default"} data-testid="tool-spot" onClick={() => setTool("spot")}>
          Pick a spot whose colour is known
        </Button>
      </Tooltip>
    </div>
  );
}
