/** Whether the strip shows the corners, or the same places of plate and result. */
import { Segmented } from "antd";
import { setBench, useBench } from "../../state";
import { Field } from "../parts";
import { StripLook } from "../StripLook";

export function PairLook() {
  const rows = useBench((s) => (s.stripRows === "pairs" ? "pairs" : "corners"));
  return (
    <div className="rows">
      <Field
        label="The strip shows"
        hint="Spots, and middles of edges, over time: the plate above, the result below, touching. Where they differ, the seam shows. Bars say how different the most different place looks, in CIEDE2000: 1 is just seen"
      >
        <Segmented
          size="small"
          value={rows}
          data-testid="strip-pairs"
          options={[
            { value: "corners", label: "corners" },
            { value: "pairs", label: "plate and result" },
          ]}
          onChange={(v) => setBench({ stripRows: v as typeof rows })}
        />
      </Field>
      {rows === "pairs" && <StripLook />}
    </div>
  );
}
