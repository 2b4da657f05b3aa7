/** One thing measured: two figures, its small picture, a switch and a strength; in hand, its controls. */
import { Button, InputNumber, Switch, Tooltip } from "antd";
import { type Grade, type Proposal, type SurfaceMatch, urls } from "../../../api/client";
import { useWork } from "../../context";
import { newGrade } from "../../model/grade";
import { isPart, PART_NAMES, type PartId, strengthOf, withPart } from "../../model/match";
import { Felt } from "../Felt";
import { Field, Note } from "../parts";
import { GradeControls } from "./GradeControls";
import { Evidence } from "./Evidence";
import type { Matching } from "./useMatching";

type Numbers = { key: string; label: string; step: number; min: number; max: number; unit?: string };
const FIGURES: Partial<Record<PartId, Numbers[]>> = {
  softness: [{ key: "sigma_px", label: "Sigma", step: 0.05, min: 0, max: 20, unit: "px" }],
  movement: [{ key: "shutter", label: "Shutter", step: 0.05, min: 0, max: 2, unit: "f" }],
  halo: [
    { key: "amount", label: "Amount", step: 0.05, min: 0, max: 3 },
    { key: "radius_px", label: "Reach", step: 0.1, min: 0.3, max: 6, unit: "px" },
  ],
  fringe: [
    { key: "red", label: "Red", step: 0.0001, min: -0.01, max: 0.01 },
    { key: "blue", label: "Blue", step: 0.0001, min: -0.01, max: 0.01 },
  ],
  vignette: [{ key: "amount", label: "In a corner", step: 0.01, min: 0, max: 1 }],
  shadow: [{ key: "soft_px", label: "Soft", step: 0.5, min: 0, max: 60, unit: "px" }],
  glow: [{ key: "radius_px", label: "Reach", step: 1, min: 1, max: 200, unit: "px" }],
  wrap: [{ key: "radius_px", label: "Reach", step: 0.5, min: 0.5, max: 40, unit: "px" }],
};
const TRIPLES: Partial<Record<PartId, [key: string, label: string, step: number][]>> = {
  levels: [
    ["gain", "White", 0.005],
    ["ink", "Ink", 0.002],
    ["offset", "Reflection", 0.001],
  ],
  veil: [["light", "Light", 0.001]],
};
const DEFAULTS: Partial<Record<PartId, Record<string, number[]>>> = {
  levels: { gain: [1, 1, 1], ink: [0, 0, 0], offset: [0, 0, 0] },
  veil: { light: [0, 0, 0] },
};

function PartFigures({ part, matching }: { part: PartId; matching: Matching }) {
  const { match, set, setEdit } = matching;
  const { shot } = useWork();
  const value = match[part] as Record<string, unknown> | null | undefined;
  if (!value) return null;
  const most = part === "shadow" || part === "wrap" || part === "halo" || part === "vignette" ? 1 : part === "glow" ? 0.5 : 2;
  return (
    <div className="rows">
      {strengthOf(value) !== null && (
        <Felt
          label="Strength"
          name={`strength of ${part}`}
          value={strengthOf(value) ?? 1}
          min={0}
          max={most}
          step={0.01}
          edit={(strength) => setEdit(withPart(match, part, { ...value, strength }))}
        />
      )}
      {part === "softness" && Array.isArray(value.frames) ? (
        <Note>As followed, frame by frame.</Note>
      ) : (
        FIGURES[part]?.map((f) => (
          <Felt
            key={f.key}
            label={f.label}
            name={`${f.label.toLowerCase()} of ${part}`}
            value={Number(value[f.key] ?? 0)}
            min={f.min}
            max={f.max}
            step={f.step}
            unit={f.unit}
            edit={(v) => setEdit(withPart(match, part, { ...value, [f.key]: v }))}
          />
        ))
      )}
      {part === "softness" && Array.isArray(value.corners) && (
        <Note>{`From corner to corner: ${(value.corners as number[]).map((c) => c.toFixed(2)).join(", ")} px.`}</Note>
      )}
      {part === "shadow" && (
        <Field label="Offset" hint="Right and down, plate px">
          <span className="row figures">
            {((value.offset_px as number[] | undefined) ?? [4, 6]).map((v, i, both) => (
              <InputNumber
                key={i}
                size="small"
                controls={false}
                style={{ width: 64 }}
                step={0.5}
                value={v}
                suffix="px"
                aria-label={`offset of shadow, ${i ? "down" : "right"}`}
                onChange={(n) => n !== null && n !== v && set(withPart(match, part, { ...value, offset_px: both.map((old, k) => (k === i ? n : old)) }))}
              />
            ))}
          </span>
        </Field>
      )}
      {part === "glow" && (
        <Field label="Old glow out" hint="The old screen threw as much of its own light: it is taken out">
          <Switch
            size="small"
            checked={!!value.instead}
            aria-label="the old screen's glow is taken out"
            onChange={(instead) => set(withPart(match, part, { ...value, instead }))}
          />
        </Field>
      )}
      {TRIPLES[part]?.map(([key, label, step]) => {
        const now = (value[key] as number[] | undefined) ?? DEFAULTS[part]?.[key] ?? [0, 0, 0];
        return (
          <Field key={key} label={label} hint="Red, green, blue">
            <span className="row figures">
              {now.map((v, i) => (
                <InputNumber
                  key={i}
                  size="small"
                  controls={false}
                  style={{ width: 58 }}
                  step={step}
                  value={Math.round(v * 10000) / 10000}
                  aria-label={`${label.toLowerCase()} of ${part}, ${["red", "green", "blue"][i] ?? ""}`}
                  onChange={(n) => n !== null && n !== v && set(withPart(match, part, { ...value, [key]: now.map((old, k) => (k === i ? n : old)) }))}
                />
              ))}
            </span>
          </Field>
        );
      })}
      {part === "grade" && (
        <GradeControls
          of="grade"
          grade={{ ...newGrade(), ...value } as Grade}
          file={(ending) => urls.grade(shot.id, match.surface, ending)}
          set={(grade) => set(withPart(match, "grade", grade))}
          setEdit={(grade) => setEdit(withPart(match, "grade", grade))}
        />
      )}
      {part === "light" && <Note>A picture for each frame, square-on, in linear light. It is among the shot's files when it is exported.</Note>}
    </div>
  );
}

type Props = { part: PartId; proposal: Proposal | null; matching: Matching; open: boolean; choose: () => void };

export function PartRow({ part, proposal, matching, open, choose }: Props) {
  const { match, set } = matching;
  const value = match[part as keyof SurfaceMatch] as object | null | undefined;
  const can = !!value || !!proposal?.value || !proposal;
  const turn = (on: boolean) => set(withPart(match, part, on ? (proposal?.value ?? {}) : null));
  // A part by hand begins with its defaults, which the document knows.
  const begin =
    proposal?.value ??
    ({ veil: { light: [0.01, 0.01, 0.01] }, vignette: { amount: 0.2 }, wrap: { radius_px: 3 }, grade: { contrast: 1 } } as Record<string, object>)[part];
  return (
    <div className={`match-row ${open ? "on" : ""}`} data-testid={`match-${part}`} data-taken={!!value}>
      <div className="row">
        <button className="plain match-name" aria-expanded={open} onClick={choose}>
          <b>{PART_NAMES[part]}</b>
          {proposal && <i className="quiet small">{proposal.plate}</i>}
        </button>
        {proposal?.value && <Evidence proposal={proposal} />}
        <Tooltip title={can ? (value ? "On" : "Off: turn it on to take it over") : "Nothing to take over"}>
          <Switch
            size="small"
            checked={!!value}
            disabled={!can}
            aria-label={`${PART_NAMES[part]} is on`}
            onChange={(on) => (on && begin ? set(withPart(match, part, begin)) : turn(on))}
          />
        </Tooltip>
      </div>
      {open && (
        <>
          {proposal && <Note tone={proposal.sure || !proposal.value ? "quiet" : "warn"}>{proposal.said}</Note>}
          <PartFigures part={part} matching={matching} />
          {proposal?.value && value && (
            <Button size="small" onClick={() => isPart(part) && set(withPart(match, part, proposal.value))}>
              As measured
            </Button>
          )}
        </>
      )}
    </div>
  );
}
