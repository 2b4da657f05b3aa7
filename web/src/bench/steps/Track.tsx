/** Track: follow the region from the reference frame, watch it arrive, stop, go on. */
import { Button, Input, Progress, Select, Tooltip } from "antd";
import { api, type Edit } from "../../api/client";
import { percent, progressText } from "../../ui/JobPill";
import { rangesText, takeName } from "../../ui/format";
import { useWork } from "../context";
import { setBench } from "../state";
import { useTracking } from "../useTracking";
import { Again } from "./Again";
import { AnalysisControls } from "./AnalysisControls";
import { Beside } from "./Beside";
import { MotionAdvice } from "./MotionAdvice";
import { MOTIONS } from "./motions";
import { ChangedSince } from "./ChangedSince";
import { Fact, Field, Note } from "./parts";

export function Track() {
  const { document, surface, shot, take, edit, act, count, firstFrame } = useWork();
  const { job, start, startAll, stop } = useTracking();
  if (!surface?.corners) {
    return (
      <div className="rows">
        <h2>Not ready to track</h2>
        <Note>{surface ? "Place the four corners first." : "Begin a surface first."}</Note>
        <Button type="primary" onClick={() => setBench({ step: "outline" })}>
          Go to Outline
        </Button>
      </div>
    );
  }
  const takes = shot.takes.filter((t) => t.surface === surface.id);
  return (
    <div className="rows">
      <Field label="Motion" hint="The simplest motion that explains the picture: too much freedom wobbles, too little slides">
        <Select
          size="small"
          style={{ width: 170 }}
          value={surface.motion}
          options={MOTIONS}
          aria-label="motion"
          onChange={(motion) => void edit({ kind: "set_motion", surface: surface.id, motion } as Edit)}
        />
      </Field>
      <div className="row">
        <Tooltip title="From the reference frame to both ends: B">
          <Button type="primary" disabled={!!job} onClick={() => void start("both")} data-testid="track-both">
            Track both ways
          </Button>
        </Tooltip>
        <Tooltip title="From the reference frame to the start: Shift+T">
          <Button disabled={!!job} onClick={() => void start("backwards")} aria-label="track backwards">
            ‹
          </Button>
        </Tooltip>
        <Tooltip title="From the reference frame to the end: T">
          <Button disabled={!!job} onClick={() => void start("forwards")} aria-label="track forwards">
            ›
          </Button>
        </Tooltip>
      </div>
      {document.surfaces.filter((s) => s.corners).length > 1 && (
        <Tooltip title="Queues every surface that has corners, the nearest first, each held out of those behind it: Shift+B">
          <Button size="small" onClick={() => void startAll()} data-testid="track-all">
            Track all surfaces
          </Button>
        </Tooltip>
      )}
      {take && !job && <Again />}
      {job && (
        <div>
          <div className="row apart">
            <span data-testid="progress-text">{job.state === "waiting" ? job.message || "Waits for a worker" : progressText(job)}</span>
            <Tooltip title="Stop and keep what is done: Esc">
              <Button size="small" onClick={() => void stop()} disabled={job.stop_asked} data-testid="stop-track">
                {job.stop_asked ? "Stopping" : "Stop"}
              </Button>
            </Tooltip>
          </div>
          <Progress percent={percent(job)} size="small" showInfo={false} />
        </div>
      )}
      <div className="rule" />
      <AnalysisControls />
      {takes.length > 0 && (
        <>
          <div className="rule" />
          <Field label="Take" hint="Every try is kept">
            <Select
              size="small"
              style={{ width: 170 }}
              value={take?.id}
              placeholder="none is chosen"
              aria-label="take"
              options={takes.map((t) => ({ value: t.id, label: `${takeName(t)}, ${MOTIONS.find((m) => m.value === t.motion)?.label ?? t.motion}` }))}
              onChange={(id) => void edit({ kind: "choose_take", surface: surface.id, take: id })}
            />
          </Field>
          {take && (
            <Field label="Name of the take" hint="Shown beside its letter, for example: A softer region">
              <Input
                size="small"
                style={{ width: 170 }}
                key={take.id + take.name}
                defaultValue={take.name}
                placeholder="no name"
                maxLength={60}
                aria-label="name of the take"
                onBlur={(e) =>
                  e.target.value.trim() !== take.name &&
                  void act(() =>
                    api.PUT("/api/takes/{take_id}/name", { params: { path: { take_id: take.id } }, body: { name: e.target.value } }).then(() => null),
                  )
                }
              />
            </Field>
          )}
        </>
      )}
      {take && (
        <>
          <Beside />
          <Fact label="Followed" value={`${take.followed} of ${count}${take.lost ? `, ${take.lost} lost` : ""}`} />
          <Fact label="Range" value={rangesText(take.ranges, firstFrame) || "none"} />
          <Fact label="Median doubt" value={take.median_sigma_px === null ? "none" : `${take.median_sigma_px?.toFixed(3)} px`} />
          <Fact label="To look at" value={take.looks.length} />
          <MotionAdvice />
          {take.stale && <ChangedSince />}
          {!take.running && take.followed + take.lost < count && !take.stale && (
            <Note>Not every frame was followed: {count - take.followed - take.lost} are untracked. B does both directions.</Note>
          )}
        </>
      )}
    </div>
  );
}
