/** Whether the strip shows the matte's edge, and what its bars say of the frame that is shown. */
import { Segmented } from "antd";
import { setBench, useBench } from "../../state";
import { StripLook } from "../StripLook";
import { Field } from "../parts";

export function EdgeLook() {
  const rows = useBench((s) => (s.stripRows === "edge" ? "edge" : "corners"));
  return (
    <div className="rows">
      <Field
        label="The strip shows"
        hint="Four places along the edge, each turned so that what is in front lies on the right. Bars say how much the edge flickers beyond the picture's own movement, in percent of coverage; a notch marks a jump"
      >
        <Segmented
          size="small"
          value={rows}
          data-testid="strip-rows"
          options={[
            { value: "corners", label: "corners" },
            { value: "edge", label: "the edge" },
          ]}
          onChange={(v) => setBench({ stripRows: v as typeof rows })}
        />
      </Field>
      {rows === "edge" && <StripLook />}
    </div>
  );
}
