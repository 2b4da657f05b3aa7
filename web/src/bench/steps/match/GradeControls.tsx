/** A grade: figures, a colour decision list, curves and a table. */
import { Button, InputNumber, Segmented, Select } from "antd";
import { useState } from "react";
import type { Edit, Grade, MediaView } from "../../../api/client";
import { CHANNELS, type Channel, onlyListed, pointsOf, type Point, withCurve, withMore } from "../../model/grade";
import { Felt } from "../Felt";
import { Field, Note } from "../parts";
import { FileChoice, useMedia } from "./FileChoice";
import { GradeFile } from "./GradeFile";

type Props = { of: string; grade: Grade; file: (ending: "cc" | "cube") => string; set: (grade: Grade) => void; setEdit: (grade: Grade) => Edit };
const FELT = [
  { key: "brightness", label: "Brightness", step: 0.01, min: -0.5, max: 0.5 },
  { key: "contrast", label: "Contrast", step: 0.02, min: 0.2, max: 2 },
  { key: "saturation", label: "Saturation", step: 0.02, min: 0, max: 2 },
] as const;
const LIST = [
  ["slope", "Slope", 0.01],
  ["offset", "Offset", 0.005],
  ["power", "Power", 0.01],
] as const;

/** A code that counts once it is typed: on the way there it would meet its neighbours. */
function Code({ value, low, high, label, set }: { value: number; low: number; high: number; label: string; set: (v: number) => void }) {
  const now = Math.round(value * 255);
  const [typed, setTyped] = useState<number | null>(null);
  const tell = () => {
    if (typed !== null && typed !== now) set(typed / 255);
    setTyped(null);
  };
  return (
    <InputNumber
      size="small"
      controls={false}
      style={{ width: 44 }}
      min={low}
      max={high}
      value={typed ?? now}
      aria-label={label}
      onChange={setTyped}
      onBlur={tell}
      onPressEnter={tell}
    />
  );
}

function Curves({ of, grade, set }: Pick<Props, "of" | "grade" | "set">) {
  const [channel, setChannel] = useState<Channel>("all");
  const points = pointsOf(grade, channel);
  const change = (i: number, at: Point | null) =>
    set(withCurve(grade, channel, at ? points.map((p, k) => (k === i ? at : p)) : points.filter((_, k) => k !== i)));
  const line = points.map(([x, y]) => `${(x * 120).toFixed(1)},${(60 - y * 60).toFixed(1)}`).join(" ");
  return (
    <>
      <Field label="Curve" hint="Codes before and after, 0 to 255; smooth between its points, and never beyond them">
        <Segmented size="small" value={channel} options={[...CHANNELS]} onChange={setChannel} aria-label={`channel of the curve, ${of}`} />
      </Field>
      <div className="row curve">
        <svg viewBox="0 0 120 60" width="88" height="60" preserveAspectRatio="none" aria-hidden>
          <polyline points="0,60 120,0" className="straight" />
          <polyline points={line} />
        </svg>
        <div className="rows">
          {points.map(([x, y], i) => (
            <span key={`${channel} ${i}`} className="row figures">
              <Code
                value={x}
                low={i ? Math.round((points[i - 1]?.[0] ?? 0) * 255) + 1 : 0}
                high={i < points.length - 1 ? Math.round((points[i + 1]?.[0] ?? 1) * 255) - 1 : 255}
                label={`curve before, point ${i + 1}`}
                set={(v) => change(i, [v, y])}
              />
              <span className="quiet">to</span>
              <Code value={y} low={0} high={255} label={`curve after, point ${i + 1}`} set={(v) => change(i, [x, v])} />
              <Button size="small" type="text" disabled={points.length < 2} aria-label={`remove point ${i + 1}`} onClick={() => change(i, null)}>
                ×
              </Button>
            </span>
          ))}
          <Button size="small" disabled={points.length >= 16} onClick={() => set(withCurve(grade, channel, withMore(points)))}>
            One more point
          </Button>
        </div>
      </div>
    </>
  );
}

function Table({ of, grade, set }: Pick<Props, "of" | "grade" | "set">) {
  const media = useMedia(grade.lut?.media);
  const take = (m: MediaView) => set({ ...grade, lut: { path: null, media: m.hash, rate: null }, look: m.facts?.looks[0] ?? null } as unknown as Grade);
  const looks = media?.facts?.looks ?? [];
  return (
    <>
      <FileChoice
        label="Table"
        hint="Codes in, codes out; the last thing of a grade"
        hash={grade.lut?.media}
        accept=".cube,.clf,.csp,.spi1d,.spi3d,.3dl,.ocioz"
        title="Drop a table"
        ask="Drop a .cube, .clf or .ocioz, or click"
        remove={`remove the table of ${of}`}
        take={take}
        clear={() => set({ ...grade, lut: null, look: null })}
      />
      {looks.length > 0 && (
        <Field label="Look">
          <Select
            size="small"
            style={{ width: 190 }}
            value={grade.look ?? ""}
            aria-label={`look of ${of}`}
            options={looks.map((l) => ({ value: l, label: l }))}
            onChange={(look: string) => set({ ...grade, look })}
          />
        </Field>
      )}
    </>
  );
}

export function GradeControls({ of, grade, file, set, setEdit }: Props) {
  return (
    <>
      {FELT.map((f) => (
        <Felt
          key={f.key}
          label={f.label}
          name={`${f.key} of ${of}`}
          value={grade[f.key]}
          min={f.min}
          max={f.max}
          step={f.step}
          edit={(v) => setEdit({ ...grade, [f.key]: v })}
        />
      ))}
      {LIST.map(([key, label, step]) => (
        <Field key={key} label={label} hint="Red, green, blue">
          <span className="row figures">
            {grade[key].map((v, i) => (
              <InputNumber
                key={i}
                size="small"
                controls={false}
                style={{ width: 58 }}
                step={step}
                value={Math.round(v * 10000) / 10000}
                aria-label={`${key} of ${of}, ${["red", "green", "blue"][i] ?? ""}`}
                onChange={(n) => n !== null && n !== v && set({ ...grade, [key]: grade[key].map((old, k) => (k === i ? n : old)) })}
              />
            ))}
          </span>
        </Field>
      ))}
      <Curves of={of} grade={grade} set={set} />
      <Table of={of} grade={grade} set={set} />
      <GradeFile file={file} read={(found) => set({ ...grade, ...found })} />
      {!onlyListed(grade) && <Note>A .cc holds slope, offset, power and saturation alone; a .cube holds all of it.</Note>}
    </>
  );
}
