/** Another take laid beside the chosen one: its outline dashed in the picture, and how far both are apart. */
import { Button, Select, Tooltip } from "antd";
import { takeName } from "../../ui/format";
import { useWork } from "../context";
import { curveValues } from "../model/curves";
import { setBench, useBench, useCalmFrame } from "../state";
import { Fact, Field } from "./parts";

function middle(values: number[]): number | null {
  const sorted = [...values].sort((a, b) => a - b);
  return sorted[Math.floor(sorted.length / 2)] ?? null;
}

export function Beside() {
  const { shot, surface, take, frames, besideFrames, count, edit } = useWork();
  const beside = useBench((s) => s.beside);
  const frame = useCalmFrame();
  const others = shot.takes.filter((t) => t.surface === surface?.id && t.id !== take?.id);
  if (!surface || !take || others.length === 0) return null;
  const shown = others.some((t) => t.id === beside) ? beside : null;
  const apart = shown && besideFrames ? curveValues("apart", frames, surface, { first: 0, last: count - 1 }, besideFrames) : [];
  const worst = (i: number) => Math.max(...apart.map((line) => line[i] ?? -1));
  const all = apart.length ? Array.from({ length: count }, (_, i) => worst(i)).filter((v) => v >= 0) : [];
  const px = (v: number | null) => (v === null || v < 0 ? "not in both" : `${v.toFixed(3)} px`);
  return (
    <>
      <Field label="Compare with" hint="Another take, drawn with a dashed line in the picture">
        <Select
          size="small"
          style={{ width: 170 }}
          value={shown ?? "none"}
          aria-label="take beside"
          options={[
            { value: "none", label: "nothing" },
            ...others.map((t) => ({ value: t.id, label: `${takeName(t)}: ${t.followed} followed, ${t.lost} lost` })),
          ]}
          onChange={(v) => setBench({ beside: v === "none" ? null : v })}
        />
      </Field>
      {shown && (
        <>
          <Fact label="Distance at this frame" value={px(apart.length ? worst(frame) : null)} />
          <Fact label="Usual distance" value={px(middle(all))} />
          <div className="row">
            <Tooltip title="Chooses the compared take, and compares with this one">
              <Button
                size="small"
                data-testid="change-places"
                onClick={() => void edit({ kind: "choose_take", surface: surface.id, take: shown }).then((ok) => ok && setBench({ beside: take.id }))}
              >
                Swap the two
              </Button>
            </Tooltip>
            <Tooltip title="How far apart, frame by frame, in the strip">
              <Button size="small" onClick={() => setBench({ curve: "apart", threshold: null })}>
                Show as curve
              </Button>
            </Tooltip>
          </div>
        </>
      )}
    </>
  );
}
