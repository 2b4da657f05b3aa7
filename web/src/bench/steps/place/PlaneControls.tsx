/** How artwork lies in the plane: proportions, area, moved, scaled, turned, cropped, its edges. */
import { Button, InputNumber, Segmented, Select, Tooltip } from "antd";
import type { Edit, LayoutKey, Placement } from "../../../api/client";
import { useWork } from "../../context";
import { keyToggled, layoutAt, layoutSet } from "../../model/placing";
import { setBench, useBench, useCalmFrame } from "../../state";
import { Felt } from "../Felt";
import { Field, Note } from "../parts";
import { usePlacing } from "./usePlacing";

const RIDES: { value: Placement["rides"]; label: string }[] = [
  { value: "full", label: "all of it" },
  { value: "position", label: "its place" },
  { value: "turn", label: "place and turn" },
  { value: "size", label: "place, turn and size" },
];
const EDGES = ["top", "right", "bottom", "left"] as const;

function Pairs({
  label,
  hint,
  names,
  values,
  step,
  unit,
  set,
  min,
  max,
}: {
  label: string;
  hint: string;
  names: readonly string[];
  values: readonly number[];
  step: number;
  unit: string;
  min?: number;
  max?: number;
  set: (values: number[]) => void;
}) {
  return (
    <Field label={label} hint={hint}>
      <span className="row figures">
        {values.map((v, i) => (
          <Tooltip key={names[i]} title={names[i]}>
            <InputNumber
              size="small"
              controls={false}
              style={{ width: values.length > 2 ? 47 : 84 }}
              value={Math.round(v * 1000) / 1000}
              step={step}
              min={min}
              max={max}
              suffix={values.length > 2 ? undefined : unit}
              aria-label={`${label.toLowerCase()}, ${names[i] ?? ""}`}
              onChange={(n) => n !== null && n !== v && set(values.map((old, k) => (k === i ? n : old)))}
            />
          </Tooltip>
        ))}
      </span>
    </Field>
  );
}

export function PlaneControls() {
  const { surface, edit } = useWork();
  const { chosen, set, setEdit } = usePlacing();
  const frame = useCalmFrame();
  const tool = useBench((s) => s.tool);
  if (!chosen) return null;
  const keys = chosen.layout;
  const now = layoutAt(keys, frame);
  const lay = (change: Partial<LayoutKey>) => set({ layout: layoutSet(keys, frame, change) });
  const layEdit = (change: Partial<LayoutKey>) => setEdit({ layout: layoutSet(keys, frame, change) });
  const here = keys.some((k) => k.frame === frame);
  const mirrored = now.scale[0] < 0 || now.scale[1] < 0;
  return (
    <>
      {surface && chosen.surface && (
        <Field label="True size" hint="How wide the surface truly is for its height; without it that is told from its corners">
          <InputNumber
            size="small"
            style={{ width: 84 }}
            min={0.01}
            max={100}
            step={0.01}
            placeholder="told"
            value={surface.proportions ?? null}
            suffix=": 1"
            aria-label="true proportions"
            onChange={(v) => void edit({ kind: "set_proportions", surface: surface.id, proportions: v } as Edit)}
          />
        </Field>
      )}
      <Field label="Area" hint="Lies on the whole surface, or within four corners of its own: the surface's track carries them">
        <span className="row">
          <span className="quiet small">{chosen.area ? "its own" : "the whole surface"}</span>
          <Tooltip title="Click its four corners in the picture, at the surface's reference frame">
            <Button
              size="small"
              type={tool === "area" ? "primary" : "default"}
              data-testid="tool-area"
              onClick={() => setBench({ tool: tool === "area" ? "move" : "area", frame: surface?.reference_frame ?? frame, shown: "plate", wipe: null })}
            >
              Draw
            </Button>
          </Tooltip>
          {chosen.area && (
            <Button size="small" onClick={() => set({ area: null })}>
              Whole
            </Button>
          )}
        </span>
      </Field>
      {chosen.surface && (
        <>
          <Field
            label="Rides"
            hint="How much of the surface's movement it takes: all of it lies in the plane; place, turn and size stay flat, as with one or two points"
          >
            <Select
              size="small"
              style={{ width: 190 }}
              value={chosen.rides}
              aria-label="what it takes of the movement"
              options={RIDES}
              onChange={(rides: Placement["rides"]) => set({ rides })}
            />
          </Field>
          <Field label="Beyond it" hint="What of its plane lies around its area, to the edge of the picture: a sky, a wall">
            <Segmented
              size="small"
              value={chosen.beyond}
              options={["nothing", "repeat", "mirror"]}
              onChange={(v) => set({ beyond: v as Placement["beyond"] })}
            />
          </Field>
        </>
      )}
      <Pairs
        label="Moved"
        hint="Across and down, in hundredths of the area"
        names={["across", "down"]}
        unit="%"
        step={1}
        values={now.move.map((v) => v * 100)}
        set={(v) => lay({ move: v.map((x) => x / 100) as [number, number] })}
      />
      <Felt
        label="Size"
        hint="Of the size that its fit gives it"
        name="size"
        min={1}
        max={10_000}
        felt={300}
        step={1}
        unit="%"
        value={Math.round(now.scale[0] * 100)}
        edit={(v) => layEdit({ scale: [v / 100, (v / 100) * (now.scale[1] / now.scale[0])] })}
      />
      <Felt
        label="Turned"
        hint="Clockwise, about its own middle"
        name="turn"
        min={-36_000}
        max={36_000}
        felt={180}
        step={0.5}
        unit="°"
        value={Math.round(now.turn_deg * 10) / 10}
        edit={(v) => layEdit({ turn_deg: v })}
      />
      <Pairs
        label="Cropped"
        hint="Left, top, right and bottom, in hundredths of the artwork"
        names={["left", "top", "right", "bottom"]}
        unit="%"
        step={1}
        min={0}
        max={99}
        values={now.crop.map((v) => v * 100)}
        set={(v) => lay({ crop: v.map((x) => x / 100) as LayoutKey["crop"] })}
      />
      <Field label="Keys" hint="Without keys it lies like this all along; with several it moves from one to the next">
        <span className="row">
          <span className="mono">{keys.length > 1 ? `${keys.length}${here ? ", one here" : ""}` : "none"}</span>
          <Button size="small" disabled={keys.length === 1 && here} onClick={() => set({ layout: keyToggled(keys, frame) })}>
            {keys.length > 1 && here ? "Delete key" : "Set key here"}
          </Button>
          {keys.length > 0 && (
            <Button size="small" onClick={() => set({ layout: [] })}>
              Lay back
            </Button>
          )}
        </span>
      </Field>
      {mirrored && <Note tone="warn">It is mirrored.</Note>}
      {Math.abs(now.scale[0] / now.scale[1] - 1) > 0.01 && (
        <Note tone="warn">
          Its proportions are changed.{" "}
          <button className="plain link" onClick={() => lay({ scale: [now.scale[0], now.scale[0]] })}>
            Make them true again
          </button>
        </Note>
      )}
      <Pairs
        label="Each edge"
        hint="How far each edge is moved outwards: top, right, bottom, left, px"
        names={EDGES}
        unit="px"
        step={0.1}
        min={0}
        max={50}
        values={chosen.overshoot_px}
        set={(v) => set({ overshoot_px: v as typeof chosen.overshoot_px })}
      />
      <Felt
        label="Rounded"
        hint="Radius of its corners, in hundredths of the shorter side: a device's own"
        name="rounded corners"
        min={0}
        max={50}
        step={0.5}
        unit="%"
        value={Math.round(chosen.rounding * 1000) / 10}
        edit={(v) => setEdit({ rounding: v / 100 })}
      />
    </>
  );
}

/** What most people set: shown without opening anything. */
export function FitControls() {
  const { chosen, set, setEdit } = usePlacing();
  if (!chosen || chosen.painted || chosen.drawn_over !== null) return null;
  const layered = chosen.layout.length > 0;
  return (
    <>
      <Field label="Proportions" hint="Fit shows all of it, fill covers the surface, stretch ignores proportions">
        <Segmented size="small" value={chosen.fit} options={["fit", "fill", "stretch"]} onChange={(fit) => set({ fit: fit as typeof chosen.fit })} />
      </Field>
      {(chosen.fit === "fit" || layered) && (
        <Field label="Around it" hint="What shows in its area where the artwork does not reach">
          <Segmented
            size="small"
            value={chosen.surround}
            options={[
              { value: "black", label: "black" },
              { value: "plate", label: "old surface" },
            ]}
            onChange={(v) => set({ surround: v as typeof chosen.surround })}
          />
        </Field>
      )}
      <Felt
        label="Overshoot"
        hint="How far the edges are moved outwards, so that no old rim shows"
        name="overshoot"
        min={0}
        max={50}
        felt={5}
        step={0.1}
        value={Math.max(...chosen.overshoot_px)}
        unit="px"
        edit={(v) => setEdit({ overshoot_px: [v, v, v, v] })}
      />
    </>
  );
}
