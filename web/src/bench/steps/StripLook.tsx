/** How the strip's crops are shown: their size, and how far they are magnified. */
import { Segmented } from "antd";
import { setBench, useBenchParts } from "../state";
import { Field } from "./parts";

export function StripLook() {
  const { density, cropZoom } = useBenchParts("density", "cropZoom");
  return (
    <>
      <Field label="Crops" hint="Wide, narrow, or a slit of every frame; the wheel zooms in">
        <Segmented
          size="small"
          value={density}
          data-testid="density"
          options={[
            { value: "large", label: "wide" },
            { value: "small", label: "narrow" },
            { value: "slits", label: "slits" },
          ]}
          onChange={(v) => setBench({ density: v as typeof density })}
        />
      </Field>
      <Field label="Magnified" hint="Hold U to see the reference frame's crops in every place">
        <Segmented
          size="small"
          value={cropZoom}
          options={[
            { value: 0.5, label: "½ x" },
            { value: 1, label: "1 x" },
            { value: 2, label: "2 x" },
            { value: 4, label: "4 x" },
          ]}
          data-testid="crop-zoom"
          onChange={(v) => setBench({ cropZoom: v })}
        />
      </Field>
    </>
  );
}
