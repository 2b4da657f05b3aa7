/** Which curve the strip shows, the threshold that selects frames, and what to do with those selected. */
import { Button, InputNumber, Select, Tooltip } from "antd";
import { useWork } from "../context";
import { CURVES, type CurveId, curveValues, framesAbove, runsOf } from "../model/curves";
import { setBench, useBench } from "../state";
import { Field } from "./parts";
import { Picked } from "./Picked";
import { StripLook } from "./StripLook";

export function CurveControls() {
  const { surface, frames, besideFrames, count, firstFrame } = useWork();
  const curve = useBench((s) => s.curve);
  const threshold = useBench((s) => s.threshold);
  const picked = useBench((s) => s.picked);
  const options = [
    { value: "crops", label: "magnified corners" },
    ...Object.entries(CURVES)
      .filter(([id]) => (id !== "apart" || besideFrames) && (id !== "point" || (surface?.points.length ?? 0) > 0))
      .map(([value, c]) => ({ value, label: c.label.toLowerCase() })),
  ];
  const whole = { first: 0, last: count - 1 };
  const above = curve && threshold !== null ? runsOf(framesAbove(curveValues(curve, frames, surface, whole, besideFrames), threshold, whole)) : [];
  return (
    <>
      <Field label="Strip shows" hint="Magnified corners, or a curve over time: G">
        <Select
          size="small"
          style={{ width: 150 }}
          value={curve ?? "crops"}
          options={options}
          aria-label="strip shows"
          onChange={(v) => setBench({ curve: v === "crops" ? null : (v as CurveId), threshold: null })}
        />
      </Field>
      {!curve && <StripLook />}
      {curve && CURVES[curve].unit === "px" && (
        <Field label="Above" hint="Frames above this line are listed; drag the line in the strip">
          <InputNumber
            size="small"
            style={{ width: 92 }}
            min={0.01}
            step={0.05}
            value={threshold}
            placeholder="no line"
            suffix="px"
            aria-label="threshold"
            onChange={(v) => setBench({ threshold: v })}
          />
        </Field>
      )}
      {above.length > 0 && (
        <div className="row wrap" data-testid="above">
          {above.slice(0, 12).map(([a, b]) => (
            <Tooltip key={a} title="Pick these frames">
              <Button size="small" type={picked?.[0] === a && picked[1] === b ? "primary" : "default"} onClick={() => setBench({ picked: [a, b], frame: a })}>
                {a === b ? a + firstFrame : `${a + firstFrame}-${b + firstFrame}`}
              </Button>
            </Tooltip>
          ))}
        </div>
      )}
      <Picked />
    </>
  );
}
