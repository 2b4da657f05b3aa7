/** The controls of the part in hand. */
import { Button, ColorPicker, InputNumber, Segmented, Select, Slider, Switch, Tooltip } from "antd";
import { useState } from "react";
import type { KeyPart, MattePart, Spread } from "../../../api/client";
import { hexOf, rgbOf } from "../../../shelf/artwork";
import { useWork } from "../../context";
import { setBench, useBench } from "../../state";
import { setTool } from "../../tools";
import { Felt } from "../Felt";
import { Blurred } from "../Blurred";
import { Field } from "../parts";
import { Bands } from "./Bands";
import { useMasking } from "./useMasking";
import { useSpread } from "./useSpread";

/** Two bounds on one line, live while they are dragged. */
function Bounds({
  label,
  hint,
  names,
  values,
  max,
  counts,
  edit,
}: {
  label: string;
  counts?: readonly number[];
  hint: string;
  names: [string, string];
  values: readonly [number, number];
  max: number;
  edit: (values: [number, number]) => Parameters<ReturnType<typeof useWork>["live"]>[1];
}) {
  const { live } = useWork();
  const [moving, setMoving] = useState<[number, number] | null>(null);
  const [stroke, setStroke] = useState("");
  const shown = moving ?? ([...values] as [number, number]);
  const slider = (
    <Slider
      range
      min={0}
      max={max}
      step={1}
      value={shown}
      tooltip={{ open: false }}
      ariaLabelForHandle={names}
      onChange={(v) => {
        const now = moving === null ? crypto.randomUUID() : stroke;
        setStroke(now);
        const [a = 0, b = 0] = v as number[];
        setMoving([a, b]);
        void live(now, edit([a, b]));
      }}
      onChangeComplete={(v) => {
        const [a = 0, b = 0] = v as number[];
        void live(stroke, edit([a, b])).then(() => setMoving(null));
      }}
    />
  );
  if (counts?.length)
    return (
      <div className="banded">
        <Field label={label} hint={hint}>
          <span className="mono quiet">
            {shown[0]}-{shown[1]}
          </span>
        </Field>
        <Bands counts={counts} low={shown[0] / max} high={shown[1] / max} />
        {slider}
      </div>
    );
  return (
    <Field label={label} hint={hint}>
      <span className="felt">
        {slider}
        <span className="mono quiet">
          {shown[0]}-{shown[1]}
        </span>
      </span>
    </Field>
  );
}

function KeyControls({ part, spread }: { part: KeyPart; spread: Spread | null }) {
  const { firstFrame } = useWork();
  const { setPart, partEdit } = useMasking();
  const tool = useBench((s) => s.tool);
  const to = Array.isArray(part.despill_to) ? "picked" : part.despill_to;
  return (
    <>
      <Field label="Samples" hint="Areas of bare screen, at one or several frames: between them the colour is mixed, so that it may drift with the light">
        <span className="row">
          {part.samples.map((s, i) => (
            <Tooltip
              key={i}
              title={`Frame ${s.frame + firstFrame}${spread?.samples[i] ? `, its light varies by ${Math.round(spread.samples[i].spread * 100)} %` : ""}: go there; with Shift take it out`}
            >
              <Button
                size="small"
                className="mono"
                onClick={(e) =>
                  e.shiftKey
                    ? part.samples.length > 1 && setPart({ samples: part.samples.filter((_, k) => k !== i) } as Partial<MattePart>)
                    : setBench({ frame: s.frame })
                }
              >
                {spread?.samples[i] && <i className="chip-colour" style={{ background: `rgb(${spread.samples[i].rgb.join(" ")})` }} />}
                {s.frame + firstFrame}
              </Button>
            </Tooltip>
          ))}
          <Tooltip title="Draw around bare screen at this frame, then Enter">
            <Button size="small" type={tool === "sample" ? "primary" : "default"} data-testid="tool-sample" onClick={() => setTool("sample")}>
              Draw
            </Button>
          </Tooltip>
        </span>
      </Field>
      <Bounds
        label="Edge"
        hint="Up to the first bound nothing is in front, from the second on it is solid; between lies the edge. In hundredths"
        names={["clear up to", "solid from"]}
        values={[Math.round(part.clear * 100), Math.round(part.core * 100)]}
        max={100}
        counts={spread?.counts}
        edit={([a, b]) => partEdit({ clear: Math.min(a, b - 1, 99) / 100, core: Math.max(b, a + 1, 1) / 100 } as Partial<MattePart>)}
      />
      <Felt
        label="Marks"
        hint="Specks up to this size on the bare screen are taken out: tracking marks, noise"
        name="marks"
        min={0}
        max={500}
        felt={80}
        step={1}
        unit="px"
        value={part.marks_px}
        edit={(v) => partEdit({ marks_px: v } as Partial<MattePart>)}
      />
      <Felt
        label="Despill"
        hint="How much of the screen's light is taken from what is in front"
        name="despill"
        min={0}
        max={100}
        step={1}
        unit="%"
        value={Math.round(part.despill * 100)}
        edit={(v) => partEdit({ despill: v / 100 } as Partial<MattePart>)}
      />
      {part.despill > 0 && (
        <Field label="Given back" hint="What takes the place of that light">
          <span className="row">
            <Select
              size="small"
              style={{ width: 130 }}
              value={to}
              aria-label="given back"
              options={[
                { value: "neutral", label: "grey" },
                { value: "artwork", label: "the new artwork's" },
                { value: "picked", label: "a colour" },
              ]}
              onChange={(v: string) => setPart({ despill_to: v === "picked" ? [180, 160, 140] : v } as Partial<MattePart>)}
            />
            {Array.isArray(part.despill_to) && (
              <ColorPicker
                size="small"
                disabledAlpha
                value={hexOf(part.despill_to)}
                onChangeComplete={(c) => setPart({ despill_to: rgbOf(c.toHex()) } as Partial<MattePart>)}
              />
            )}
          </span>
        </Field>
      )}
      <Field label="Even out" hint="Uneven light on the screen is divided out">
        <Switch size="small" checked={part.even} aria-label="even out" onChange={(even) => setPart({ even } as Partial<MattePart>)} />
      </Field>
      <Field label="Everywhere" hint="In the whole picture, not only around its surface">
        <Switch size="small" checked={part.everywhere} aria-label="everywhere" onChange={(everywhere) => setPart({ everywhere } as Partial<MattePart>)} />
      </Field>
    </>
  );
}

export function PartControls() {
  const { document, firstFrame, count } = useWork();
  const { part, setPart, partEdit } = useMasking();
  const spread = useSpread();
  if (!part) return null;
  const strength = Array.isArray(part.strength) ? null : part.strength;
  return (
    <>
      {part.kind === "key" && <KeyControls part={part} spread={spread} />}
      {part.kind === "brightness" && (
        <>
          <Field label="Looks at">
            <Segmented
              size="small"
              value={part.channel}
              options={["luma", "red", "green", "blue"]}
              onChange={(channel) => setPart({ channel } as Partial<MattePart>)}
            />
          </Field>
          <Bounds
            label="From"
            hint="Codes between which it fades in"
            names={["from nothing", "to all"]}
            max={255}
            counts={spread?.counts}
            values={[Math.round(part.low[0] * 255), Math.round(part.low[1] * 255)]}
            edit={([a, b]) => partEdit({ low: [a / 255, b / 255] } as Partial<MattePart>)}
          />
          <Bounds
            label="To"
            hint="Codes between which it fades out again; at 255 it does not"
            names={["from all", "to nothing"]}
            max={255}
            values={[Math.round(part.high[0] * 255), Math.round(part.high[1] * 255)]}
            edit={([a, b]) => partEdit({ high: [a / 255, b / 255] } as Partial<MattePart>)}
          />
          <Felt
            label="Contrast"
            hint="Steepness around the middle of the range"
            name="contrast"
            min={0.1}
            max={20}
            felt={5}
            step={0.1}
            value={part.contrast}
            edit={(v) => partEdit({ contrast: v } as Partial<MattePart>)}
          />
        </>
      )}
      {part.kind === "difference" && (
        <Bounds
          label="From"
          hint="Difference in codes up to which nothing is in front, and from which it is wholly in front"
          names={["nothing up to", "whole from"]}
          max={255}
          counts={spread?.counts}
          values={[Math.round(part.low * 255), Math.round(part.high * 255)]}
          edit={([a, b]) => partEdit({ low: Math.min(a, b - 1) / 255, high: Math.max(b, a + 1) / 255 } as Partial<MattePart>)}
        />
      )}
      {part.kind === "shape" && (
        <>
          <Field label="Rides" hint="What its points move with between its keys">
            <Select
              size="small"
              style={{ width: 190 }}
              value={part.rides ?? "none"}
              aria-label="rides"
              options={[{ value: "none", label: "nothing: it stands still" }, ...document.surfaces.map((s) => ({ value: s.id, label: s.name }))]}
              onChange={(v: string) => setPart({ rides: v === "none" ? null : v } as Partial<MattePart>)}
            />
          </Field>
          <Blurred shutter={part.shutter ?? null} set={(shutter) => setPart({ shutter } as Partial<MattePart>)} />
          <Field label="Line">
            <Segmented size="small" value={part.outline} options={["straight", "smooth"]} onChange={(outline) => setPart({ outline } as Partial<MattePart>)} />
          </Field>
        </>
      )}
      {!(part.kind === "shape" && part.soft_points) && (
        <Felt
          label="Soft edge"
          hint="Standard deviation of its edge"
          name="soft edge"
          min={0}
          max={200}
          felt={30}
          step={0.1}
          unit="px"
          value={part.soft_px}
          edit={(v) => partEdit({ soft_px: v })}
        />
      )}
      {part.kind === "shape" && (
        <Field label="Softness" hint="All around alike, or each point its own: one edge sharp, the other soft">
          <Segmented
            size="small"
            value={part.soft_points ? "points" : "all"}
            options={[
              { value: "all", label: "all around" },
              { value: "points", label: "by points" },
            ]}
            onChange={(v) => setPart({ soft_points: v === "points" ? (part.keys[0]?.points ?? []).map(() => part.soft_px) : null } as Partial<MattePart>)}
          />
        </Field>
      )}
      {part.kind === "shape" && part.soft_points && (
        <Field label="By points" hint="In the order they were drawn, px">
          <span className="row figures wrap">
            {part.soft_points.map((v, i) => (
              <InputNumber
                key={i}
                size="small"
                controls={false}
                style={{ width: 47 }}
                min={0}
                max={200}
                value={v}
                aria-label={`softness of point ${i + 1}`}
                onChange={(n) => n !== null && setPart({ soft_points: part.soft_points?.map((old, k) => (k === i ? n : old)) } as Partial<MattePart>)}
              />
            ))}
          </span>
        </Field>
      )}
      <Felt
        label="Grown"
        hint="How far its edge is moved outwards; below 0 inwards"
        name="grown"
        min={-50}
        max={50}
        felt={10}
        step={0.1}
        unit="px"
        value={part.grow_px}
        edit={(v) => partEdit({ grow_px: v })}
      />
      {strength !== null && (
        <Felt
          label="Strength"
          name="part strength"
          min={0}
          max={100}
          step={1}
          unit="%"
          value={Math.round(strength * 100)}
          edit={(v) => partEdit({ strength: v / 100 })}
        />
      )}
      <Field label="Turned round" hint="What it says is in front is not, and the other way round">
        <Switch size="small" checked={part.invert} aria-label="turned round" onChange={(invert) => setPart({ invert })} />
      </Field>
      <Field label="Frames" hint="First and last frame at which it counts; empty: all">
        <span className="row figures">
          <InputNumber
            size="small"
            controls={false}
            style={{ width: 72 }}
            min={firstFrame}
            max={firstFrame + count - 1}
            placeholder="start"
            value={part.span ? part.span[0] + firstFrame : null}
            aria-label="counts from"
            onChange={(v) => setPart({ span: v === null ? null : [v - firstFrame, Math.max(v - firstFrame, part.span?.[1] ?? count - 1)] })}
          />
          <InputNumber
            size="small"
            controls={false}
            style={{ width: 72 }}
            min={firstFrame}
            max={firstFrame + count - 1}
            placeholder="end"
            value={part.span ? part.span[1] + firstFrame : null}
            aria-label="counts until"
            onChange={(v) => setPart({ span: v === null ? null : [Math.min(v - firstFrame, part.span?.[0] ?? 0), v - firstFrame] })}
          />
        </span>
      </Field>
    </>
  );
}
