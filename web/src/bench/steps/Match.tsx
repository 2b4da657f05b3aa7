/** Match: what the plate does to whatever it shows, measured, and taken over part by part. */
import { Button, InputNumber, Progress, Segmented, Switch } from "antd";
import { useState } from "react";
import type { SurfaceMatch } from "../../api/client";
import { percent, progressText, stopJob } from "../../ui/JobPill";
import { useWork } from "../context";
import { BY_HAND, isPart, PART_NAMES, type PartId, taken } from "../model/match";
import { setBench, useBench } from "../state";
import { FileChoice } from "./match/FileChoice";
import { PairLook } from "./match/PairLook";
import { PartRow } from "./match/PartRow";
import { Spots } from "./match/Spots";
import { Scopes } from "./match/Scopes";
import { useMatching } from "./match/useMatching";
import { WholePicture } from "./match/WholePicture";
import { Field, Note } from "./parts";

export function Match() {
  const { surface, take, document } = useWork();
  const matching = useMatching();
  const [open, setOpen] = useState<PartId | "whole" | null>(null);
  const tool = useBench((s) => s.tool);
  if (!surface?.corners || !take || !matching) {
    return (
      <div className="rows">
        <h2>Nothing to measure yet</h2>
        <Note>Light, softness and grain are measured on a surface that is followed. Track it first.</Note>
        <Button type="primary" onClick={() => setBench({ step: surface?.corners ? "track" : "outline" })}>
          {surface?.corners ? "Go to Track" : "Go to Outline"}
        </Button>
      </div>
    );
  }
  const { match, found, proposals, job, measure, set } = matching;
  const sure = proposals.filter((p) => p.sure && p.value);
  const parts = [...proposals.map((p) => p.part).filter(isPart), ...BY_HAND.filter((b) => !proposals.some((p) => p.part === b))];
  const extra = (Object.keys(PART_NAMES) as PartId[]).filter((k) => match[k] && !parts.includes(k));
  const known = document.match.some((m) => m.surface === surface.id);
  return (
    <div className="rows">
      <Field label="The old one is">
        <Segmented
          size="small"
          value={match.kind}
          data-testid="match-kind"
          options={[
            { value: "print", label: "print" },
            { value: "screen", label: "a screen" },
          ]}
          onChange={(kind) => set({ ...match, kind: kind as typeof match.kind })}
        />
      </Field>
      {match.kind === "screen" && (
        <Field label="Its white" hint="Linear light of the screen's white on the plate, where it is known; 1 is the plate's own white">
          <InputNumber
            size="small"
            style={{ width: 84 }}
            min={0}
            max={20}
            step={0.05}
            placeholder="told"
            value={match.white_linear?.[1] ?? null}
            aria-label="white of the screen"
            onChange={(v) => set({ ...match, white_linear: v === null ? null : [v, v, v] })}
          />
        </Field>
      )}
      <FileChoice
        label="Its picture"
        hint="What the old one shows, as a file that covers the surface to its edges: a still"
        hash={match.old?.media}
        accept="image/*,.exr,.tif,.tiff,.svg"
        title="Drop the old picture"
        ask="Drop the old picture"
        remove="take the old picture out"
        take={(m) => set({ ...match, old: { media: m.hash } } as SurfaceMatch)}
        clear={() => set({ ...match, old: null })}
      />
      <Spots matching={matching} />
      {tool === "spot" && <Note>Click around it, then Enter.</Note>}
      {job ? (
        <div className="row">
          <Progress percent={percent(job)} size="small" format={() => progressText(job)} />
          <Button size="small" onClick={() => void stopJob(job.id)}>
            Stop
          </Button>
        </div>
      ) : (
        <Button type={found ? "default" : "primary"} size="small" data-testid="measure" onClick={measure}>
          {found ? "Measure again" : "Measure the plate"}
        </Button>
      )}
      {found?.stale && !job && <Note tone="warn">Measured from something else than what is here now.</Note>}
      {sure.length > 0 && (
        <Button
          type="primary"
          size="small"
          data-testid="take-all"
          onClick={() => {
            set(taken(match, proposals, (p) => p.sure));
            setBench({ shown: "result", wipe: null });
          }}
        >
          {`Take all that is sure, ${sure.length}`}
        </Button>
      )}
      {known && (
        <Field label="All of it">
          <Switch size="small" checked={match.on} aria-label="the match is on" data-testid="match-on" onChange={(on) => set({ ...match, on })} />
        </Field>
      )}
      <Scopes />
      <PairLook />
      <div className="match-rows">
        {[...parts, ...extra].map((part) => (
          <PartRow
            key={part}
            part={part}
            matching={matching}
            open={open === part}
            choose={() => setOpen(open === part ? null : part)}
            proposal={BY_HAND.includes(part) ? null : (proposals.find((p) => p.part === part) ?? null)}
          />
        ))}
        <WholePicture open={open === "whole"} choose={() => setOpen(open === "whole" ? null : "whole")} />
      </div>
    </div>
  );
}
