/** How artwork goes with what is below it: strength, blend, shadow. */
import { Button, ColorPicker, InputNumber, Segmented, Select } from "antd";
import { useWork } from "../../context";
import { hexOf, rgbOf } from "../../../shelf/artwork";
import { between } from "../../model/between";
import { useCalmFrame } from "../../state";
import type { Placement } from "../../../api/client";
import { Felt } from "../Felt";
import { Field } from "../parts";
import { usePlacing } from "./usePlacing";

const BLENDS: { value: Placement["blend"]; label: string }[] = [
  { value: "over", label: "over" },
  { value: "multiply", label: "multiply" },
  { value: "screen", label: "screen" },
  { value: "add", label: "add" },
  { value: "overlay", label: "overlay" },
  { value: "soft_light", label: "soft light" },
];
const DEFINED = { over: "light", multiply: "light", add: "light", screen: "display codes", overlay: "display codes", soft_light: "display codes" };

export function opacityAt(value: Placement["opacity"], frame: number): number {
  if (!Array.isArray(value)) return value;
  const found = between(value, frame);
  return found ? found.a.value + found.t * (found.b.value - found.a.value) : 1;
}

export function BelowControls() {
  const { firstFrame } = useWork();
  const { chosen, set, setEdit } = usePlacing();
  const frame = useCalmFrame();
  if (!chosen) return null;
  const keys = Array.isArray(chosen.opacity) ? chosen.opacity : null;
  const now = opacityAt(chosen.opacity, frame);
  const withValue = (value: number) =>
    keys ? [...keys.filter((k) => k.frame !== frame), { frame, value, ease: "linear" as const }].sort((a, b) => a.frame - b.frame) : value;
  const { shadow } = chosen;
  return (
    <>
      <Felt
        label="Strength"
        hint="How much of it is seen"
        name="strength"
        min={0}
        max={100}
        step={1}
        unit="%"
        value={Math.round(now * 100)}
        edit={(v) => setEdit({ opacity: withValue(v / 100) })}
      />
      <Field label="Its keys" hint="Without keys the strength holds all along">
        <span className="row">
          <span className="mono">{keys ? keys.map((k) => k.frame + firstFrame).join(" ") : "none"}</span>
          {keys ? (
            <Button size="small" onClick={() => set({ opacity: Math.round(now * 1000) / 1000 })}>
              Drop keys
            </Button>
          ) : (
            <Button size="small" onClick={() => set({ opacity: [{ frame, value: now, ease: "linear" }] })}>
              Key here
            </Button>
          )}
        </span>
      </Field>
      <Field label="Blend" hint="How it goes with what is below it">
        <Select
          size="small"
          style={{ width: 190 }}
          value={chosen.blend}
          options={BLENDS}
          aria-label="blend"
          data-testid="blend"
          onChange={(blend) => set({ blend })}
        />
      </Field>
      {chosen.blend !== "over" && (
        <Field label="Blended in" hint="Light, as ink and lamps do it, or the codes of the display, as the blend is often known">
          <Select
            size="small"
            style={{ width: 190 }}
            value={chosen.blend_in ?? "own"}
            aria-label="blended in"
            onChange={(v: string) => set({ blend_in: v === "own" ? null : (v as Placement["blend_in"]) })}
            options={[
              { value: "own", label: `as it is defined: ${DEFINED[chosen.blend]}` },
              { value: "linear", label: "light" },
              { value: "display", label: "display codes" },
            ]}
          />
        </Field>
      )}
      <Field label="Shadow" hint="A soft shadow, or a rim of light, on its own plane">
        <Segmented
          size="small"
          value={shadow ? "cast" : "none"}
          options={[
            { value: "none", label: "none" },
            { value: "cast", label: "cast" },
          ]}
          onChange={(v) => set({ shadow: v === "cast" ? { offset: [0.01, 0.02], grow: 0, soft: 0.02, rgb: [0, 0, 0], strength: 0.5 } : null })}
        />
      </Field>
      {shadow && (
        <>
          <Field label="Its offset" hint="Across and down, in hundredths of the area">
            <span className="row figures">
              {shadow.offset.map((v, i) => (
                <InputNumber
                  key={i}
                  size="small"
                  controls={false}
                  style={{ width: 84 }}
                  suffix="%"
                  step={0.5}
                  value={Math.round(v * 1000) / 10}
                  aria-label={i ? "shadow down" : "shadow across"}
                  onChange={(n) =>
                    n !== null && set({ shadow: { ...shadow, offset: shadow.offset.map((o, k) => (k === i ? n / 100 : o)) as [number, number] } })
                  }
                />
              ))}
            </span>
          </Field>
          <Felt
            label="Its softness"
            name="shadow softness"
            min={0}
            max={50}
            felt={20}
            step={0.5}
            unit="%"
            value={Math.round(shadow.soft * 1000) / 10}
            edit={(v) => setEdit({ shadow: { ...shadow, soft: v / 100 } })}
          />
          <Felt
            label="Its growth"
            name="shadow growth"
            min={-50}
            max={50}
            felt={20}
            step={0.5}
            unit="%"
            value={Math.round(shadow.grow * 1000) / 10}
            edit={(v) => setEdit({ shadow: { ...shadow, grow: v / 100 } })}
          />
          <Felt
            label="Its strength"
            name="shadow strength"
            min={0}
            max={100}
            step={1}
            unit="%"
            value={Math.round(shadow.strength * 100)}
            edit={(v) => setEdit({ shadow: { ...shadow, strength: v / 100 } })}
          />
          <Field label="Its light">
            <ColorPicker
              size="small"
              disabledAlpha
              showText
              value={hexOf(shadow.rgb)}
              onChangeComplete={(c) => set({ shadow: { ...shadow, rgb: rgbOf(c.toHex()) } })}
            />
          </Field>
        </>
      )}
    </>
  );
}
