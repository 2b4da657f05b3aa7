/** The analysis picture: what the tracker looks at, with a live preview. The delivered picture is never touched. */
import { Collapse, Select, Switch, Tooltip } from "antd";
import type { Edit, Surface } from "../../api/client";
import { useWork } from "../context";
import { setBench, useBench } from "../state";
import { Felt } from "./Felt";
import { Field } from "./parts";

type Analysis = Surface["analysis"];

const CHANNELS = [
  { value: "luma", label: "luma" },
  { value: "red", label: "red" },
  { value: "green", label: "green" },
  { value: "blue", label: "blue" },
  { value: "best", label: "most contrast" },
  { value: "chroma", label: "colour difference" },
];
const DEFLICKER = [
  { value: "none", label: "off" },
  { value: "global", label: "whole region" },
  { value: "local", label: "place by place" },
];
const NUMBERS: {
  field: "contrast" | "gamma" | "blur_px" | "sharpen" | "denoise";
  label: string;
  min: number;
  max: number;
  felt: number;
  step: number;
  unit: string;
  hint: string;
}[] = [
  { field: "contrast", label: "Contrast", min: 0.1, max: 10, felt: 4, step: 0.1, unit: "x", hint: "Around the region's mean" },
  { field: "gamma", label: "Gamma", min: 0.1, max: 10, felt: 4, step: 0.1, unit: "", hint: "Below 1 opens the shadows" },
  { field: "blur_px", label: "Blur", min: 0, max: 20, felt: 8, step: 0.5, unit: "px", hint: "Against grain and fine noise" },
  { field: "sharpen", label: "Sharpen", min: 0, max: 5, felt: 3, step: 0.1, unit: "", hint: "Strength of an unsharp mask" },
  { field: "denoise", label: "Denoise", min: 0, max: 1, felt: 1, step: 0.1, unit: "", hint: "Smooths, but keeps edges" },
];

export function AnalysisControls() {
  const { surface, edit } = useWork();
  const shown = useBench((s) => s.shown);
  if (!surface?.corners) return null;
  const now = surface.analysis;
  const set = (change: Partial<Analysis>) => {
    setBench({ shown: "analysis", wipe: null });
    void edit({ kind: "set_analysis", surface: surface.id, analysis: { ...now, ...change } } as Edit);
  };
  const plain =
    now.channel === "luma" &&
    now.contrast === 1 &&
    now.gamma === 1 &&
    !now.blur_px &&
    !now.sharpen &&
    !now.denoise &&
    now.deflicker === "none" &&
    !now.normalise;
  return (
    <Collapse
      ghost
      size="small"
      items={[
        {
          key: "analysis",
          label: <span>Analysis picture: {plain ? "luma, untouched" : `${CHANNELS.find((c) => c.value === now.channel)?.label ?? now.channel}, helped`}</span>,
          children: (
            <div className="rows">
              <Field label="Show it" hint="Flip between the plate and what the tracker looks at">
                <Switch
                  size="small"
                  checked={shown === "analysis"}
                  aria-label="show the analysis picture"
                  onChange={(on) => setBench({ shown: on ? "analysis" : "plate", wipe: null })}
                />
              </Field>
              <Field label="Channel" hint="What is looked at">
                <Select
                  size="small"
                  style={{ width: 150 }}
                  value={now.channel}
                  options={CHANNELS}
                  aria-label="channel"
                  onChange={(channel) => set({ channel })}
                />
              </Field>
              {NUMBERS.map((n) => (
                <Felt
                  key={n.field}
                  label={n.label}
                  hint={n.hint}
                  name={n.label.toLowerCase()}
                  min={n.min}
                  max={n.max}
                  felt={n.felt}
                  step={n.step}
                  value={now[n.field]}
                  unit={n.unit}
                  onTouch={() => setBench({ shown: "analysis", wipe: null })}
                  edit={(v) => ({ kind: "set_analysis", surface: surface.id, analysis: { ...now, [n.field]: v } }) as Edit}
                />
              ))}
              <Field label="Flicker" hint="Brings every frame's brightness to the reference frame's">
                <Select
                  size="small"
                  style={{ width: 150 }}
                  value={now.deflicker}
                  options={DEFLICKER}
                  aria-label="flicker"
                  onChange={(deflicker) => set({ deflicker })}
                />
              </Field>
              <Field label="Even brightness" hint="Mean and spread of the region as at the reference frame">
                <Tooltip title="Against slow changes of light">
                  <Switch size="small" checked={now.normalise} aria-label="even brightness" onChange={(normalise) => set({ normalise })} />
                </Tooltip>
              </Field>
            </div>
          ),
        },
      ]}
    />
  );
}
