/** The chosen shape: how its line runs, its soft edge, its keys, and what moving its points counts for. */
import { Button, Dropdown, InputNumber, Segmented, Select, Tooltip } from "antd";
import type { Surface } from "../../../api/client";
import { useWork } from "../../context";
import { keyBeside, regionShapes, shapesAt, type Scope } from "../../model/keyed";
import { homographyAt } from "../../model/shot";
import { setBench, useBench, useCalmFrame } from "../../state";
import { occluderEdit, setShapes, type Shape, useShapes } from "../../viewer/useShapes";
import { Felt } from "../Felt";
import { Blurred } from "../Blurred";
import { Field } from "../parts";

const SCOPES: { value: Scope; label: string; hint: string }[] = [
  { value: "here", label: "this key", hint: "Moving points sets a key at this frame" },
  { value: "onwards", label: "from here", hint: "This frame and all keys after it" },
  { value: "whole", label: "whole shot", hint: "All keys alike" },
];

function CopyTo({ shape }: { shape: Shape }) {
  const { document, surface, frames, firstFrame, framesOf, edit } = useWork();
  const others = document.surfaces.filter((s) => s.id !== surface?.id);
  if (!surface || others.length === 0 || shape.kind === "occluder") return null;
  const own = regionShapes(surface)[Number(shape.id.split(":")[1])];
  const copy = (target: Surface) => {
    if (!own) return;
    const there = shapesAt([own], target.reference_frame, (f) => homographyAt(surface, frames, f));
    void edit(setShapes(target, [...regionShapes(target), ...there]));
  };
  const known = (target: Surface) => !!homographyAt(surface, frames, target.reference_frame) || !!framesOf(surface)?.get(target.reference_frame)?.homography;
  return (
    <Dropdown
      menu={{
        items: others.map((s) => ({
          key: s.id,
          label: known(s) ? s.name : `${s.name}: not followed at its reference frame ${s.reference_frame + firstFrame}`,
          disabled: !known(s),
        })),
        onClick: ({ key }) => {
          const target = others.find((s) => s.id === key);
          if (target) copy(target);
        },
      }}
    >
      <Button size="small">Copy to</Button>
    </Dropdown>
  );
}

function Keys({ shape }: { shape: Shape }) {
  const { document, surface, count } = useWork();
  const { removeKey, setEase } = useShapes(false);
  const frame = useCalmFrame();
  const here = shape.keys.includes(frame);
  const before = keyBeside(shape.keys, frame, -1);
  const after = keyBeside(shape.keys, frame, 1);
  const goTo = (f: number | null) => f !== null && setBench({ frame: Math.min(count - 1, f) });
  const [kind = "", name = ""] = shape.id.split(":");
  const key = kind === "region" && surface ? regionShapes(surface)[Number(name)]?.keys.find((k) => k.frame === frame) : undefined;
  const ridden = document.surfaces.find((s) => s.id === document.occluders.find((o) => o.id === name)?.rides);
  return (
    <>
      <Field label="Keys" hint={ridden ? `Between its keys it moves with ${ridden.name}` : "Between keys it moves evenly"}>
        <span className="row">
          <Tooltip title="Key before: [">
            <Button size="small" disabled={before === null} onClick={() => goTo(before)} aria-label="key before">
              ‹
            </Button>
          </Tooltip>
          <span className="mono" data-testid="keys-said">
            {shape.keys.length}
            {here ? ", one here" : ""}
          </span>
          <Tooltip title="Key after: ]">
            <Button size="small" disabled={after === null} onClick={() => goTo(after)} aria-label="key after">
              ›
            </Button>
          </Tooltip>
          <Tooltip title={shape.keys.length < 2 ? "The last key stays" : "Delete the key at this frame: D"}>
            <Button size="small" disabled={!here || shape.keys.length < 2} onClick={() => removeKey(shape.id)} data-testid="remove-key">
              Delete key
            </Button>
          </Tooltip>
        </span>
      </Field>
      {key && shape.keys.length > 1 && after !== null && (
        <Field label="Way to the next key" hint="Even, or slow at both ends">
          <Segmented
            size="small"
            value={key.ease}
            options={[
              { value: "linear", label: "even" },
              { value: "eased", label: "eased" },
            ]}
            onChange={(v) => setEase(shape.id, v as "linear" | "eased")}
          />
        </Field>
      )}
    </>
  );
}

export function ChosenShape({ shape }: { shape: Shape }) {
  const { document, surface, count, firstFrame, edit } = useWork();
  const { change, remove } = useShapes(false);
  const scope = useBench((s) => s.scope);
  const [kind = "", name = ""] = shape.id.split(":");
  const region = kind === "region" && surface ? regionShapes(surface)[Number(name)] : undefined;
  const occluder = kind === "occluder" ? document.occluders.find((o) => o.id === name) : undefined;
  return (
    <div className="rows chosen-shape" data-testid="chosen-shape">
      <div className="row apart">
        <h2>{shape.name}</h2>
        <span className="row">
          <CopyTo shape={shape} />
          <Tooltip title="Shift+Delete">
            <Button
              size="small"
              onClick={() => {
                remove(shape.id);
                setBench({ selection: null });
              }}
              data-testid="remove-shape"
            >
              Remove
            </Button>
          </Tooltip>
        </span>
      </div>
      <Field label="Line" hint="Straight from point to point, or a smooth curve through them">
        <Segmented
          size="small"
          value={shape.smooth ? "smooth" : "straight"}
          options={["straight", "smooth"]}
          data-testid="shape-line"
          onChange={(v) => change(shape.id, { outline: v as "straight" | "smooth" })}
        />
      </Field>
      {region && surface && (
        <>
          <Field label="Used as" hint="Followed with the surface, or cut out of it">
            <Segmented
              size="small"
              value={region.role}
              options={[
                { value: "include", label: "followed" },
                { value: "exclude", label: "cut out" },
              ]}
              onChange={(v) => change(shape.id, { role: v as "include" | "exclude" })}
            />
          </Field>
          <Field label="Moves" hint="With the surface, or standing in the picture until its keys move it">
            <Segmented
              size="small"
              value={region.rides}
              options={[
                { value: "plane", label: "with the surface" },
                { value: "picture", label: "by its keys" },
              ]}
              onChange={(v) => change(shape.id, { rides: v as string })}
            />
          </Field>
          <Felt
            label="Soft edge"
            hint="Nothing within this width of the line is compared"
            name="soft edge"
            min={0}
            max={200}
            felt={40}
            step={1}
            value={region.feather_px}
            unit="px"
            edit={(v) =>
              setShapes(
                surface,
                regionShapes(surface).map((r, i) => (i === Number(name) ? { ...r, feather_px: v } : r)),
              )
            }
          />
        </>
      )}
      {occluder && (
        <>
          <Field label="Moves with" hint="Between its keys it follows a surface, or runs evenly">
            <Select
              size="small"
              style={{ width: 150 }}
              value={occluder.rides ?? ""}
              aria-label="moves with"
              onChange={(v) => change(shape.id, { rides: v || null })}
              options={[{ value: "", label: "its keys alone" }, ...document.surfaces.map((s) => ({ value: s.id, label: s.name }))]}
            />
          </Field>
          <Field label="There from, to" hint="Frames at which it is in the shot; outside it leaves nothing behind">
            <span className="row">
              {([0, 1] as const).map((end) => (
                <InputNumber
                  key={end}
                  size="small"
                  style={{ width: 66 }}
                  precision={0}
                  aria-label={end ? "last frame" : "first frame"}
                  min={firstFrame}
                  max={firstFrame + count - 1}
                  value={(occluder.span?.[end] ?? (end ? count - 1 : 0)) + firstFrame}
                  onChange={(v) => {
                    if (v === null) return;
                    const span: [number, number] = [occluder.span?.[0] ?? 0, occluder.span?.[1] ?? count - 1];
                    span[end] = v - firstFrame;
                    if (span[0] <= span[1]) void edit(occluderEdit(occluder, { span }));
                  }}
                />
              ))}
            </span>
          </Field>
          <Felt
            label="Soft edge"
            hint="How far its edge fades, as a standard deviation"
            name="soft edge"
            min={0}
            max={50}
            felt={8}
            step={0.2}
            value={occluder.feather_px}
            unit="px"
            edit={(v) => occluderEdit(occluder, { feather_px: v })}
          />
          <Blurred shutter={occluder.shutter ?? null} set={(shutter) => change(shape.id, { shutter })} />
        </>
      )}
      <Keys shape={shape} />
      <Field label="Moves count for" hint={SCOPES.find((s) => s.value === scope)?.hint ?? ""}>
        <Segmented
          size="small"
          value={scope}
          data-testid="scope"
          onChange={(v) => setBench({ scope: v as Scope })}
          options={SCOPES.map((s) => ({ value: s.value, label: <Tooltip title={s.hint}>{s.label}</Tooltip> }))}
        />
      </Field>
    </div>
  );
}
