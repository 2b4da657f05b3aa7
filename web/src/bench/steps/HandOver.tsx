/** Hand over: a film or stills, and the track, in open formats. */
import { Button, InputNumber, Progress, Segmented, Select } from "antd";
import { useState } from "react";
import { api, type Delivery, type DeliveryView, urls } from "../../api/client";
import { useJobs } from "../../api/queries";
import { bytesText, timeText } from "../../ui/format";
import { isOpen, percent, progressText, stopJob } from "../../ui/JobPill";
import { useWork } from "../context";
import { HELD } from "../held";
import type { Held } from "../state";
import { Field, Note } from "./parts";

const isFilm = (form: Delivery["form"]): form is "mp4" | "mkv" => form === "mp4" || form === "mkv";

function DeliveryRow({ delivery }: { delivery: DeliveryView }) {
  const { firstFrame } = useWork();
  const job = useJobs().data?.find((j) => j.id === delivery.job);
  const missing = delivery.frames_without_track;
  return (
    <div className="delivery" data-testid="delivery" data-state={delivery.state}>
      <div className="row apart">
        <span className="mono ellipsis" title={delivery.file}>
          {delivery.file || delivery.form}
        </span>
        {delivery.file && (
          <a href={urls.deliveryFile(delivery.id)} download data-testid="download">
            <Button size="small">{delivery.state === "stopped" ? "Take what is there" : "Download"}</Button>
          </a>
        )}
        {job && isOpen(job) && (
          <Button size="small" onClick={() => void stopJob(job.id)} disabled={job.stop_asked}>
            {job.stop_asked ? "Stopping" : "Stop"}
          </Button>
        )}
      </div>
      {job && isOpen(job) && <Progress percent={percent(job)} size="small" format={() => progressText(job)} />}
      <span className="quiet small">
        {timeText(delivery.created)}
        {delivery.bytes ? `, ${bytesText(delivery.bytes)}` : ""}
        {delivery.differs ? ", the shot would look different now" : ""}
        {delivery.state === "failed" || delivery.state === "stopped" ? `, ${job?.message ?? delivery.state}` : ""}
      </span>
      {delivery.made_of.length > 0 && (
        <span className="quiet small" data-testid="made-of">
          made of {delivery.made_of.map((m) => `${m.name} ${m.version}${m.version === m.current ? "" : ` (${m.current} is the current one)`}`).join(", ")}
        </span>
      )}
      {missing.length > 0 && (
        <Note tone="warn">{`${missing.length} frames have no track; the plate passes unchanged there: ${missing
          .slice(0, 8)
          .map((n) => n + firstFrame)
          .join(", ")}${missing.length > 8 ? " ..." : ""}`}</Note>
      )}
    </div>
  );
}

export function HandOver() {
  const { shot, document, plate, surface, act, take } = useWork();
  const [delivery, setDelivery] = useState<Delivery>(document.delivery);
  const held = delivery.still ?? null;
  const matte = delivery.matte ?? null;
  const film = isFilm(delivery.form) ? plate.films[delivery.form] : undefined;
  const ready = matte
    ? true
    : held
      ? document.surfaces.some((s) => s.id === held.surface && shot.takes.some((t) => t.id === s.take && t.followed > 0))
      : document.placements.length > 0 && !!take && take.followed > 0;
  return (
    <div className="rows">
      <Field label="What" hint="The result; or the plate held still on a surface, for painting on. What is painted rides back in Place">
        <Select
          size="small"
          style={{ width: 210 }}
          value={matte ? `matte ${matte}` : held ? `${held.surface} ${held.how}` : "result"}
          aria-label="what is handed over"
          data-testid="deliver-what"
          options={[
            { value: "result", label: "the result" },
            ...document.surfaces
              .filter((s) => s.take)
              .flatMap((s) => HELD.map((x) => ({ value: `${s.id} ${x.value}`, label: `the plate held still: ${s.name}, ${x.label}` }))),
            ...document.mattes.map((m) => ({ value: `matte ${m.id}`, label: `the matte: ${m.name ?? m.id}` })),
          ]}
          onChange={(v) => {
            const [on = "", how = "full"] = v.split(" ");
            if (v === "result") setDelivery({ ...delivery, still: null, matte: null });
            else if (on === "matte") setDelivery({ ...delivery, still: null, matte: how, form: isFilm(delivery.form) ? "png" : delivery.form });
            else setDelivery({ ...delivery, matte: null, still: { surface: on, how: how as Held }, form: isFilm(delivery.form) ? "png" : delivery.form });
          }}
        />
      </Field>
      <Field label="As">
        <Segmented
          size="small"
          value={delivery.form}
          onChange={(form) => setDelivery({ ...delivery, form: form as Delivery["form"] })}
          options={[
            { value: "mp4", label: "MP4", disabled: held !== null || matte !== null },
            { value: "mkv", label: "MKV", disabled: held !== null || matte !== null },
            { value: "png", label: "PNG" },
            { value: "exr", label: "EXR half" },
          ]}
        />
      </Field>
      {delivery.form === "mp4" && (
        <>
          <Field label="Quality" hint="Constant rate factor: lower is closer to the plate">
            <InputNumber
              size="small"
              min={0}
              max={40}
              value={delivery.crf}
              prefix="crf"
              aria-label="quality"
              onChange={(v) => v !== null && setDelivery({ ...delivery, crf: v })}
            />
          </Field>
          <Field label="Effort">
            <Select
              size="small"
              style={{ width: 120 }}
              value={delivery.preset}
              aria-label="effort"
              options={["veryfast", "fast", "medium", "slow"].map((v) => ({ value: v, label: v }))}
              onChange={(preset) => setDelivery({ ...delivery, preset: preset as Delivery["preset"] })}
            />
          </Field>
        </>
      )}
      {matte && delivery.form === "png" && (
        <Field label="Bits">
          <Segmented
            size="small"
            value={delivery.depth}
            options={[8, 16]}
            onChange={(depth) => setDelivery({ ...delivery, depth: depth as Delivery["depth"] })}
          />
        </Field>
      )}
      {!matte && !held && delivery.form === "exr" && document.mattes.length > 0 && (
        <Field label="Mattes" hint="Every matte as a layer of its own name beside the picture, channel Y">
          <Segmented
            size="small"
            value={delivery.with_mattes ? "with" : "none"}
            options={[
              { value: "none", label: "left out" },
              { value: "with", label: "as layers" },
            ]}
            onChange={(v) => setDelivery({ ...delivery, with_mattes: v === "with" })}
          />
        </Field>
      )}
      {film && <Note>{`Written as ${film.written}.`}</Note>}
      {film?.lost && <Note tone="warn">{film.lost}</Note>}
      <Note>
        {matte
          ? "White is in front; numbered like the plate."
          : held
            ? "Every frame whole on one canvas, empty where the plate shows nothing, numbered like the plate; still.json says where each lies."
            : isFilm(delivery.form)
              ? "Same rate, length, size, pixel shape and sound as the plate."
              : delivery.form === "png"
                ? "Numbered like the plate. Outside the surface every pixel equals the decoded plate."
                : "Linear light, half float, numbered like the plate."}
      </Note>
      <Button
        type="primary"
        disabled={!ready}
        data-testid="hand-over"
        onClick={() =>
          void act((revision) =>
            api
              .POST("/api/shots/{shot_id}/deliveries", { params: { path: { shot_id: shot.id } }, body: { base_revision: revision, delivery } })
              .then(() => null),
          )
        }
      >
        Hand over
      </Button>
      {!ready && <Note>{held || document.placements.length ? "Track the surface first." : "Place artwork on a surface first."}</Note>}
      {surface && take && (
        <div className="row">
          <span className="quiet">Track of {surface.name}</span>
          <a href={urls.track(shot.id, surface.id, "json")} download>
            JSON
          </a>
          <a href={urls.track(shot.id, surface.id, "csv")} download>
            CSV
          </a>
        </div>
      )}
      <div className="rule" />
      {shot.deliveries.length === 0 && <Note>Nothing handed over yet.</Note>}
      {shot.deliveries.slice(0, 12).map((d) => (
        <DeliveryRow key={d.id} delivery={d} />
      ))}
    </div>
  );
}
