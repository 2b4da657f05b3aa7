/** When artwork is seen, and what it does where it is shorter than the plate. */
import { Button, InputNumber, Segmented, Select } from "antd";
import type { Timing } from "../../../api/client";
import { rateText } from "../../../ui/format";
import { useWork } from "../../context";
import { mediaOf } from "../../../shelf/artwork";
import { endsAt, positionAt, stretchedOver } from "../../model/placing";
import { useCalmFrame } from "../../state";
import { lengthOf } from "../../strip/TimeLanes";
import { Field, Note } from "../parts";
import { usePlacing } from "./usePlacing";

const AFTER = { hold: "holds its last frame", loop: "begins again", back_and_forth: "runs backwards", end: "is gone" };

/** Frames and rate of the chosen artwork; null where it stands still. */
export function useArtworkLength(): { frames: number; rate: number | null; said: string | null } | null {
  const { shot, rate } = useWork();
  const { chosen } = usePlacing();
  const length = chosen ? lengthOf(chosen, shot.media, rate) : null;
  const fill = chosen?.artwork.kind === "file" ? shot.media[mediaOf(chosen.artwork)[0] ?? ""]?.facts : undefined;
  return length && { ...length, said: fill?.rate ?? null };
}

export function TimeControls() {
  const { count, rate, firstFrame } = useWork();
  const { chosen, set } = usePlacing();
  const frame = useCalmFrame();
  const length = useArtworkLength();
  if (!chosen) return null;
  const t = chosen.time;
  const change = (part: Partial<Timing>) => set({ time: { ...t, ...part } });
  const whole = (
    label: string,
    hint: string,
    value: number | null,
    name: string,
    min: number,
    max: number,
    tell: (v: number | null) => void,
    empty: string,
  ) => (
    <Field label={label} hint={hint}>
      <InputNumber size="small" style={{ width: 84 }} min={min} max={max} precision={0} value={value} placeholder={empty} aria-label={name} onChange={tell} />
    </Field>
  );
  const keyed = t.retime.some((k) => k.frame === frame);
  return (
    <>
      {whole(
        "Seen from",
        "First frame of the plate at which it is there",
        chosen.span ? chosen.span[0] + firstFrame : null,
        "seen from",
        firstFrame,
        firstFrame + count - 1,
        (v) => set({ span: v === null ? null : [v - firstFrame, Math.max(v - firstFrame, chosen.span?.[1] ?? count - 1)] }),
        "start",
      )}
      {whole(
        "Seen until",
        "Last frame of the plate at which it is there",
        chosen.span ? chosen.span[1] + firstFrame : null,
        "seen until",
        firstFrame,
        firstFrame + count - 1,
        (v) => set({ span: v === null ? null : [Math.min(v - firstFrame, chosen.span?.[0] ?? 0), v - firstFrame] }),
        "end",
      )}
      {length && (
        <>
          {length.said && Math.abs((length.rate ?? rate) - rate) > 1e-6 && (
            <Field label="Rate" hint={`The artwork has ${rateText(length.said)}: at its own, or a frame of it for each frame of the plate`}>
              <Segmented
                size="small"
                value={t.rate}
                options={[
                  { value: "own", label: "its own" },
                  { value: "plate", label: "frame by frame" },
                ]}
                onChange={(v) => change({ rate: v as Timing["rate"] })}
              />
            </Field>
          )}
          <Field label="Offset" hint="Frames of the artwork that have passed when the plate begins; below 0 it begins later">
            <InputNumber
              size="small"
              style={{ width: 84 }}
              step={1}
              value={t.offset}
              aria-label="offset"
              onChange={(v) => v !== null && change({ offset: v })}
            />
          </Field>
          {whole(
            "First used",
            "First frame of the artwork that is used, counted from 0",
            t.first,
            "first used",
            0,
            length.frames - 1,
            (v) => change({ first: v }),
            "0",
          )}
          {whole(
            "Last used",
            "Last frame of the artwork that is used",
            t.last,
            "last used",
            0,
            length.frames - 1,
            (v) => change({ last: v }),
            String(length.frames - 1),
          )}
          <Field label="Between frames">
            <Segmented size="small" value={t.frames} options={["nearest", "blended"]} onChange={(v) => change({ frames: v as Timing["frames"] })} />
          </Field>
          <Field label="Retimed" hint="By keys: which moment of the artwork is seen at a frame of the plate">
            <span className="row">
              <span className="mono">{t.retime.length ? `${t.retime.length} keys` : "no"}</span>
              <Button
                size="small"
                onClick={() =>
                  change({
                    retime: keyed
                      ? t.retime.filter((k) => k.frame !== frame)
                      : [...t.retime, { frame, at: Math.round(positionAt(t, length.rate, rate, frame) * 10) / 10, ease: "linear" as const }].sort(
                          (a, b) => a.frame - b.frame,
                        ),
                  })
                }
              >
                {keyed ? "Delete key" : "Key here"}
              </Button>
            </span>
          </Field>
          {keyed && (
            <Field label="Moment here">
              <InputNumber
                size="small"
                style={{ width: 84 }}
                step={0.5}
                value={t.retime.find((k) => k.frame === frame)?.at}
                aria-label="moment here"
                onChange={(v) => v !== null && change({ retime: t.retime.map((k) => (k.frame === frame ? { ...k, at: v } : k)) })}
              />
            </Field>
          )}
        </>
      )}
    </>
  );
}

/** Where artwork is shorter than the plate: said at once, with what can be done. */
export function EndsEarly() {
  const { count, rate } = useWork();
  const { chosen, set } = usePlacing();
  const length = useArtworkLength();
  if (!chosen || !length) return null;
  const t = chosen.time;
  const end = endsAt(t, length.frames, length.rate, rate, count);
  const otherRate = length.said && t.rate === "plate" && Math.abs((length.rate ?? rate) - rate) > 1e-6;
  return (
    <>
      <Field label="After its end">
        <Select
          size="small"
          style={{ width: 190 }}
          value={t.after}
          aria-label="after its end"
          options={Object.entries(AFTER).map(([value, label]) => ({ value, label }))}
          onChange={(after: Timing["after"]) => set({ time: { ...t, after } })}
        />
      </Field>
      {end !== null && (
        <Note tone="warn">
          <span data-testid="ends-early">{`The artwork ends ${count - end} frames before the plate; then it ${AFTER[t.after]}.`}</span>{" "}
          {t.after !== "loop" && (
            <button className="plain link" onClick={() => set({ time: { ...t, after: "loop" } })}>
              Loop it
            </button>
          )}{" "}
          {!t.retime.length && (
            <button className="plain link" onClick={() => set({ time: stretchedOver(t, length.frames, count) })}>
              Retime it to the plate
            </button>
          )}
        </Note>
      )}
      {otherRate && <Note tone="warn">{`The artwork has ${rateText(length.said)}: one frame of it is shown for each frame of the plate.`}</Note>}
    </>
  );
}
