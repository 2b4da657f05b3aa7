/** How far a moving outline is blurred: as the shot's shutter says, not at all, or by a shutter of its own. */
import { InputNumber, Segmented } from "antd";
import { Field } from "./parts";

type How = "shot" | "sharp" | "own";

export function Blurred({ shutter, set }: { shutter: number | null; set: (shutter: number | null) => void }) {
  const how: How = shutter === null ? "shot" : shutter === 0 ? "sharp" : "own";
  return (
    <Field
      label="Moving edge"
      hint="Its edge is drawn as long as the shutter is open: as Match or the track has it, kept sharp, or for a share of a frame that you say"
    >
      <span className="row figures">
        <Segmented
          size="small"
          value={how}
          aria-label="moving edge"
          options={[
            { value: "shot", label: "as the shot" },
            { value: "sharp", label: "sharp" },
            { value: "own", label: "own" },
          ]}
          onChange={(v: How) => set(v === "shot" ? null : v === "sharp" ? 0 : 0.5)}
        />
        {how === "own" && (
          <InputNumber
            size="small"
            controls={false}
            style={{ width: 62 }}
            min={0.01}
            max={2}
            step={0.05}
            value={shutter}
            suffix="f"
            aria-label="shutter"
            onChange={(v) => v !== null && set(v)}
          />
        )}
      </span>
    </Field>
  );
}
