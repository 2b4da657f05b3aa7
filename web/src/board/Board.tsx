/** The Board: all shots of a project as rows. */
import { Button, Dropdown, Empty, Input, InputNumber, Modal, Select, Spin } from "antd";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { useQueryClient } from "@tanstack/react-query";
import { api, data, type MediaView, type ProjectView, type ShotSummary, type ShotView, urls } from "../api/client";
import { keys, useProjects } from "../api/queries";
import { mediaFactsText, rangesText, timeText } from "../ui/format";
import { JobPill } from "../ui/JobPill";
import { Mark } from "../ui/Mark";
import { Upload } from "../ui/Upload";
import { freshName } from "../ui/names";
import { Bin } from "./Bin";
import "../shelf/shelf.css";
import "./board.css";
import { ProjectHead } from "./ProjectHead";
import { useBin, useBinEdits } from "../ui/useBin";

function RangeBar({ ranges, count }: { ranges: [number, number][]; count: number }) {
  return (
    <svg className="range" viewBox={`0 0 ${Math.max(1, count)} 8`} preserveAspectRatio="none" role="img" aria-label="tracked range">
      <rect width={count} height="8" fill="#2c3030" />
      {ranges.map(([a, b]) => (
        <rect key={a} x={a} width={b - a + 1} height="8" fill="#62b5a3" />
      ))}
    </svg>
  );
}

function deliveryText(shot: ShotSummary): string {
  const d = shot.delivery;
  if (!d) return "nothing sent yet";
  if (d.state === "running") return "being made";
  if (d.state !== "done") return d.state;
  const newer = d.made_of.filter((m) => m.version < m.current).map((m) => m.name);
  return `${d.file}, ${timeText(d.created)}${newer.length ? `; ${newer.join(", ")} has a newer version` : ""}`;
}

function ShotMenu({ shot }: { shot: ShotSummary }) {
  const { attempt, remove } = useBinEdits();
  const [naming, setNaming] = useState<string | null>(null);
  const path = { params: { path: { shot_id: shot.id } } };
  const rename = () => {
    const name = naming?.trim();
    setNaming(null);
    if (name && name !== shot.name)
      void attempt(() =>
        api.POST("/api/shots/{shot_id}/edits", { ...path, body: { base_revision: shot.revision, edits: [{ kind: "rename", target: null, name }] } }),
      );
  };
  return (
    <>
      <Dropdown
        trigger={["click"]}
        menu={{
          items: [
            { key: "rename", label: "Rename" },
            { key: "copy", label: "Duplicate" },
            { key: "remove", label: "Remove" },
          ],
          onClick: ({ key }) => {
            if (key === "rename") setNaming(shot.name);
            else if (key === "copy") void attempt(() => api.POST("/api/shots/{shot_id}/copy", path));
            else void remove("shot", shot.id, shot.name);
          },
        }}
      >
        <Button size="small" type="text" aria-label={`more about ${shot.name}`} data-testid="shot-menu">
          More
        </Button>
      </Dropdown>
      <Modal title="Rename shot" open={naming !== null} onCancel={() => setNaming(null)} okText="Rename" onOk={rename} destroyOnHidden>
        <Input
          autoFocus
          maxLength={120}
          value={naming ?? ""}
          aria-label="new name of the shot"
          onChange={(e) => setNaming(e.target.value)}
          onPressEnter={rename}
        />
      </Modal>
    </>
  );
}

function Artwork({ shot }: { shot: ShotSummary }) {
  if (shot.artwork.length + shot.slots.length === 0) return <span className="art quiet">no artwork</span>;
  return (
    <span className="art">
      {shot.slots.map((x) => (
        <span key={`${x.slot} ${x.version}`} className="row" data-testid={`shows-${x.slot}`}>
          {x.name} <span className={`chip ${x.version === x.current ? "on" : ""}`}>{x.version === x.current ? x.version : `${x.version} of ${x.current}`}</span>
        </span>
      ))}
      {shot.artwork.join(", ")}
    </span>
  );
}

function ShotRow({ shot }: { shot: ShotSummary }) {
  const plate = shot.plate;
  const count = plate?.facts?.frame_count ?? 0;
  return (
    <div className="shot-line">
      <Link to={`/shots/${shot.id}`} className="shot-row" data-testid="shot-row">
        <span className="thumbs">
          {shot.frames.map(
            (f) => plate && plate.proxies > f && <img key={f} src={urls.proxy(plate.hash, f)} alt={`frame ${f + shot.first_frame}`} loading="lazy" />,
          )}
        </span>
        <span className="names">
          <b>{shot.name}</b>
          <span className="quiet small">{plate ? `${plate.name}, ${mediaFactsText(plate)}` : "no plate"}</span>
          {plate && plate.state !== "ready" && plate.state !== "reading" && <span className="doubt small">{plate.problem}</span>}
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
        <Artwork shot={shot} />
        <span className="sent quiet small">{deliveryText(shot)}</span>
      </Link>
      <ShotMenu shot={shot} />
    </div>
  );
}

function NewShot({ project, plate, close }: { project: ProjectView; plate: MediaView | null; close: () => void }) {
  const go = useNavigate();
  const client = useQueryClient();
  const [name, setName] = useState<string | null>(null);
  const [rate, setRate] = useState<number | null>(null);
  const [wrong, setWrong] = useState("");
  const [busy, setBusy] = useState(false);
  const asks = plate?.facts?.kind !== "film";
  const make = async () => {
    if (!plate || busy) return;
    setBusy(true);
    setWrong("");
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
      setBusy(false);
    }
  };
  return (
    <Modal
      title="New shot"
      open={plate !== null}
      onCancel={close}
      okText={busy ? "Beginning" : "Begin"}
      confirmLoading={busy}
      okButtonProps={{ disabled: asks && !rate }}
      cancelButtonProps={{ disabled: busy }}
      onOk={() => void make()}
    >
      {plate && (
        <div className="rows">
          <span className="quiet">{mediaFactsText(plate)}</span>
          <label className="row apart">
            Name <Input style={{ width: 280 }} value={name ?? plate.name.replace(/\.[^.]+$/, "")} onChange={(e) => setName(e.target.value)} />
          </label>
          {asks && (
            <label className="row apart">
              How many frames a second? Stills do not say.
              <InputNumber min={1} max={240} value={rate} onChange={setRate} suffix="fps" data-testid="rate" />
            </label>
          )}
          {plate.facts?.notes.map((n) => (
            <span key={n} className="note warn" data-testid="plate-note">
              {n}
            </span>
          ))}
          {wrong && <span className="doubt">{wrong}</span>}
        </div>
      )}
    </Modal>
  );
}

function Project({ project, onNew }: { project: ProjectView; onNew: () => void }) {
  const [plate, setPlate] = useState<MediaView | null>(null);
  return (
    <section>
      <div className="project-head">
        <ProjectHead project={project} onNew={onNew} />
        <span className="grow" />
        <div className="bring-in">
          <Upload title="Drop a plate here, or click" hint="MP4, MOV, MKV, or numbered stills as files or zip" onMedia={setPlate} />
        </div>
      </div>
      {project.shots.length === 0 ? (
        <Empty description="No shots yet. Drop a plate above to begin one." />
      ) : (
        project.shots.map((s) => <ShotRow key={s.id} shot={s} />)
      )}
      <NewShot key={plate?.hash ?? "none"} project={project} plate={plate} close={() => setPlate(null)} />
    </section>
  );
}

const ALL = "all";

export function Board() {
  const projects = useProjects();
  const client = useQueryClient();
  const removed = useBin().data?.length ?? 0;
  const [shown, setShown] = useState(() => localStorage.getItem("verdigris.project") ?? ALL);
  const [bin, setBin] = useState(false);
  const list = projects.data ?? [];
  const one = list.find((p) => p.id === shown);
  const show = (id: string) => {
    setShown(id);
    localStorage.setItem("verdigris.project", id);
  };
  const begin = async () => {
    const taken = list.map((p) => p.name);
    const name = taken.length ? freshName("Project", taken) : "First project";
    const made = data<ProjectView>(await api.POST("/api/projects", { body: { name } }));
    await client.invalidateQueries({ queryKey: keys.projects });
    show(list.length ? made.id : ALL);
  };
  return (
    <div className="board">
      <header className="bar-top">
        <Link to="/" className="brand">
          <Mark /> Verdigris
        </Link>
        <span className="quiet">Board</span>
        {list.length > 1 && (
          <Select
            size="small"
            style={{ width: 260 }}
            showSearch={{ optionFilterProp: "label" }}
            value={one ? one.id : ALL}
            aria-label="project"
            data-testid="project"
            onChange={show}
            options={[{ value: ALL, label: "all projects" }, ...list.map((p) => ({ value: p.id, label: p.name }))]}
          />
        )}
        <span className="grow" />
        <Button type="text" size="small" onClick={() => setBin(true)} data-testid="open-bin">
          {removed ? `Bin, ${removed}` : "Bin"}
        </Button>
        <JobPill />
      </header>
      <main>
        {projects.isPending && <Spin />}
        {projects.error && <p>{projects.error.message}</p>}
        {projects.data?.length === 0 && (
          <Empty description="Nothing here yet. A project holds the shots of one job.">
            <Button type="primary" onClick={() => void begin()} data-testid="begin-project">
              Begin a project
            </Button>
          </Empty>
        )}
        {(one ? [one] : list).map((p) => (
          <Project key={p.id} project={p} onNew={() => void begin()} />
        ))}
      </main>
      <Bin open={bin} close={() => setBin(false)} />
    </div>
  );
}
