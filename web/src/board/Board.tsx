/** The Board: all shots of a project as rows. */
import { Button, Empty, Input, InputNumber, Modal, Spin } from "antd";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { useQueryClient } from "@tanstack/react-query";
import { api, data, type MediaView, type ProjectView, type ShotSummary, type ShotView, urls } from "../api/client";
import { keys, useProjects } from "../api/queries";
import { mediaFactsText, rangesText, timeText } from "../ui/format";
import { JobPill } from "../ui/JobPill";
import { Mark } from "../ui/Mark";
import { Upload } from "../ui/Upload";
import "./board.css";

function RangeBar({ ranges, count }: { ranges: [number, number][]; count: number }) {
  return (
    <svg className="range" viewBox={`0 0 ${Math.max(1, count)} 8`} preserveAspectRatio="none" role="img" aria-label="tracked range">
      <rect width={count} height="8" fill="#2c3030" />
      {ranges.map(([a, b]) => <rect key={a} x={a} width={b - a + 1} height="8" fill="#62b5a3" />)}
    </svg>
  );
}

function deliveryText(shot: ShotSummary): string {
  const d = shot.delivery;
  if (!d) return "nothing sent yet";
  if (d.state === "running") return "being made";
  if (d.state !== "done") return d.state;
  return `${d.file}, ${timeText(d.created)}`;
}

function ShotRow({ shot }: { shot: ShotSummary }) {
  const plate = shot.plate;
  const count = plate?.facts?.frame_count ?? 0;
  return (
    <Link to={`/shots/${shot.id}`} className="shot-row" data-testid="shot-row">
      <span className="thumbs">
        {shot.frames.map((f) => plate && <img key={f} src={urls.proxy(plate.hash, f)} alt={`frame ${f + shot.first_frame}`} loading="lazy" />)}
      </span>
      <span className="names">
        <b>{shot.name}</b>
        <span className="quiet small">{plate ? `${plate.name}, ${mediaFactsText(plate)}` : "no plate"}</span>
      </span>
      <span className="surfaces">
        {shot.surfaces.length === 0 && <span className="quiet">nothing outlined</span>}
        {shot.surfaces.map((s) => (
          <span key={s.id} className="surface">
            <span>{s.name}</span>
            <RangeBar ranges={s.ranges} count={count} />
            <span className="mono quiet">{s.ranges.length ? rangesText(s.ranges.slice(0, 2), shot.first_frame) : "not tracked"}</span>
            {s.looks > 0 && <span className="doubt">{s.looks} to look at</span>}
          </span>
        ))}
      </span>
      <span className="art">{shot.artwork.length ? shot.artwork.join(", ") : <span className="quiet">no artwork</span>}</span>
      <span className="sent quiet small">{deliveryText(shot)}</span>
    </Link>
  );
}

function NewShot({ project, plate, close }: { project: ProjectView; plate: MediaView | null; close: () => void }) {
  const go = useNavigate();
  const client = useQueryClient();
  const [name, setName] = useState<string | null>(null);
  const [rate, setRate] = useState<number | null>(null);
  const [wrong, setWrong] = useState("");
  const asks = plate?.facts?.kind !== "film";
  const make = async () => {
    if (!plate) return;
    try {
      const shot = data<ShotView>(
        await api.POST("/api/projects/{project_id}/shots", {
          params: { path: { project_id: project.id } },
          body: { name: name ?? plate.name.replace(/\.[^.]+$/, ""), plate: plate.hash, rate: asks && rate ? `${Math.round(rate * 1000)}/1000` : null },
        }),
      );
      await client.invalidateQueries({ queryKey: keys.projects });
      await go(`/shots/${shot.id}`);
    } catch (error) {
      setWrong((error as Error).message);
    }
  };
  return (
    <Modal title="New shot" open={plate !== null} onCancel={close} okText="Begin" okButtonProps={{ disabled: asks && !rate }} onOk={() => void make()}>
      {plate && (
        <div className="rows">
          <span className="quiet">{mediaFactsText(plate)}</span>
          <label className="row apart">Name <Input style={{ width: 280 }} value={name ?? plate.name.replace(/\.[^.]+$/, "")} onChange={(e) => setName(e.target.value)} /></label>
          {asks && (
            <label className="row apart">
              How many frames a second? Stills do not say.
              <InputNumber min={1} max={240} value={rate} onChange={setRate} suffix="fps" data-testid="rate" />
            </label>
          )}
          {wrong && <span className="doubt">{wrong}</span>}
        </div>
      )}
    </Modal>
  );
}

function Project({ project }: { project: ProjectView }) {
  const [plate, setPlate] = useState<MediaView | null>(null);
  return (
    <section>
      <div className="project-head">
        <h1>{project.name}</h1>
        <span className="quiet">{project.shots.length} {project.shots.length === 1 ? "shot" : "shots"}</span>
        <span className="grow" />
        <div className="bring-in"><Upload title="Drop a plate here, or click" hint="MP4, MOV, MKV, or numbered stills as files or zip" onMedia={setPlate} /></div>
      </div>
      {project.shots.length === 0 ? <Empty description="No shots yet. Drop a plate above to begin one." /> : project.shots.map((s) => <ShotRow key={s.id} shot={s} />)}
      <NewShot key={plate?.hash ?? "none"} project={project} plate={plate} close={() => setPlate(null)} />
    </section>
  );
}

export function Board() {
  const projects = useProjects();
  const client = useQueryClient();
  const begin = async () => {
    await api.POST("/api/projects", { body: { name: "First project" } });
    await client.invalidateQueries({ queryKey: keys.projects });
  };
  return (
    <div className="board">
      <header className="bar-top">
        <Link to="/" className="brand"><Mark /> Verdigris</Link>
        <span className="quiet">Board</span>
        <span className="grow" />
        <JobPill />
      </header>
      <main>
        {projects.isPending && <Spin />}
        {projects.error && <p>{projects.error.message}</p>}
        {projects.data?.length === 0 && (
          <Empty description="Nothing here yet. A project holds the shots of one job.">
            <Button type="primary" onClick={() => void begin()} data-testid="begin-project">Begin a project</Button>
          </Empty>
        )}
        {projects.data?.map((p) => <Project key={p.id} project={p} />)}
      </main>
    </div>
  );
}
