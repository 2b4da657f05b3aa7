/** The Bench: the work on one shot. */
import { useQueries, useQuery } from "@tanstack/react-query";
import { Button, Spin, Tooltip } from "antd";
import { useCallback, useEffect, useMemo, useState } from "react";
import { Link, useParams } from "react-router";
import type { ShotView, Surface } from "../api/client";
import { type TakeFrames, takeFramesQuery, usedFramesQuery, useShot } from "../api/queries";
import { rateNumber, rateText } from "../ui/format";
import { JobPill } from "../ui/JobPill";
import { Mark } from "../ui/Mark";
import "./bench.css";
import { BenchContext, type BenchWork, useWork } from "./context";
import { DepthLine } from "./depth/DepthLine";
import { FlatView } from "./flat/FlatView";
import { Keys } from "./Keys";
import { KeyList } from "./KeyList";
import type { StepId } from "./model/views";
import { setBench, START, useBench } from "./state";
import { HandOver } from "./steps/HandOver";
import { Inspect } from "./steps/Inspect";
import { Mask } from "./steps/Mask";
import { Match } from "./steps/Match";
import { Outline } from "./steps/Outline";
import { Place } from "./steps/Place";
import { Prepare } from "./steps/Prepare";
import { Track } from "./steps/Track";
import { Strip } from "./strip/Strip";
import { Transport } from "./Transport";
import { useShotEdits } from "./useShotEdits";
import { usePlayback } from "./viewer/usePlayback";
import { Viewer } from "./viewer/Viewer";
import { WorkOrder } from "./WorkOrder";

const CONTROLS: Record<StepId, () => React.ReactNode> = {
  prepare: Prepare,
  outline: Outline,
  track: Track,
  inspect: Inspect,
  place: Place,
  mask: Mask,
  match: Match,
  handover: HandOver,
};

/** Frames of the chosen take of every surface: as they were followed, and as they are used after mending. */
function useAllTakeFrames(shot: ShotView): { raw: Map<string, TakeFrames>; used: Map<string, TakeFrames> } {
  const followed = shot.document.surfaces.filter((s) => !!s.take);
  const answers = useQueries({
    queries: followed.map((s) => takeFramesQuery(s.take ?? "")),
    combine: (results) => results.map((r) => r.data),
  });
  const mended = followed.filter((s) => s.held.length > 0 || s.smoothing > 0 || s.carry || s.left_out.length > 0 || s.calmed.length > 0);
  const better = useQueries({
    queries: mended.map((s) => usedFramesQuery(shot.id, shot.revision, s.id, answers[followed.indexOf(s)]?.size ?? 0)),
    combine: (results) => results.map((r) => r.data),
  });
  return useMemo(() => {
    const raw = new Map<string, TakeFrames>();
    followed.forEach((s, i) => {
      const found = answers[i];
      if (found) raw.set(s.id, found);
    });
    const used = new Map(raw);
    mended.forEach((s, i) => {
      const found = better[i];
      if (found?.size) used.set(s.id, found);
    });
    return { raw, used };
  }, [answers, better, followed, mended]);
}

function useBenchWork(shot: ShotView): BenchWork | null {
  const edits = useShotEdits(shot.id);
  const chosen = useBench((s) => s.surface);
  const all = useAllTakeFrames(shot);
  const beside = useBench((s) => s.beside);
  const other = useQuery({ ...takeFramesQuery(beside ?? ""), enabled: beside !== null }).data;
  const { document } = shot;
  const framesOf = useCallback((s: Surface) => all.used.get(s.id), [all]);
  return useMemo(() => {
    const plate = document.plate.media ? shot.media[document.plate.media] : undefined;
    if (!plate) return null;
    const surface = document.surfaces.find((s) => s.id === chosen) ?? document.surfaces[0] ?? null;
    const [pn = 1, pd = 1] = (plate.facts?.pixel_aspect ?? "1/1").split("/").map(Number);
    return {
      ...edits,
      shot,
      document,
      plate,
      surface,
      framesOf,
      count: plate.facts?.frame_count ?? 0,
      rate: rateNumber(plate.facts?.rate ?? document.plate.rate),
      firstFrame: document.plate.first_frame ?? plate.facts?.first_frame ?? 0,
      pixelAspect: pn / pd,
      take: shot.takes.find((t) => t.id === surface?.take) ?? null,
      frames: surface ? framesOf(surface) : undefined,
      followedFrames: surface ? all.raw.get(surface.id) : undefined,
      besideFrames: beside !== null && beside !== surface?.take ? other : undefined,
    };
  }, [all, beside, chosen, document, edits, framesOf, other, shot]);
}

function TopBar({ showHelp }: { showHelp: () => void }) {
  const { shot, document, plate, firstFrame, count, undo, redo } = useWork();
  const f = plate.facts;
  return (
    <header className="bar-top">
      <Link to="/" className="brand" title="To the Board">
        <Mark /> Verdigris
      </Link>
      <span className="quiet ellipsis">
        {shot.project} / <span style={{ color: "#e8e5dd" }}>{document.name}</span>
      </span>
      {f && (
        <span className="mono quiet facts">
          {f.width}x{f.height}&ensp;{rateText(f.rate ?? document.plate.rate)}&ensp;{firstFrame}-{firstFrame + count - 1}&ensp;{count} f&ensp;
          {f.pixel_aspect.replace("/", ":")}
        </span>
      )}
      <span className="grow" />
      <Tooltip title={shot.can_undo ? `Undo ${shot.undo_label}: Ctrl+Z` : "Nothing to undo"}>
        <Button type="text" size="small" disabled={!shot.can_undo} onClick={() => void undo()} data-testid="undo">
          Undo
        </Button>
      </Tooltip>
      <Tooltip title="Redo: Ctrl+Shift+Z">
        <Button type="text" size="small" disabled={!shot.can_redo} onClick={() => void redo()} data-testid="redo">
          Redo
        </Button>
      </Tooltip>
      <JobPill />
      <Tooltip title="Keys: ?">
        <Button type="text" size="small" onClick={showHelp} aria-label="keys">
          ?
        </Button>
      </Tooltip>
    </header>
  );
}

function Workplace() {
  const [help, setHelp] = useState(false);
  const showHelp = useCallback(() => setHelp(true), []);
  const step = useBench((s) => s.step);
  const swapped = useBench((s) => s.swapped);
  const { shot } = useWork();
  usePlayback();
  const Controls = CONTROLS[step];
  return (
    <div className="bench">
      <Keys showHelp={showHelp} />
      <TopBar showHelp={showHelp} />
      <WorkOrder />
      <main>
        <DepthLine />
        {swapped ? <FlatView tall /> : <Viewer />}
        <Transport />
      </main>
      <aside>
        <div className="flat-box">{swapped ? <Viewer /> : <FlatView />}</div>
        <div className="controls" data-testid="controls" key={`${shot.id}-${step}`}>
          <Controls />
        </div>
      </aside>
      <Strip />
      <KeyList open={help} close={() => setHelp(false)} />
    </div>
  );
}

function Loaded({ shot }: { shot: ShotView }) {
  const work = useBenchWork(shot);
  if (!work) return <div className="centre quiet">The plate of this shot is not here any more. Bring it in again on the Board.</div>;
  return (
    <BenchContext.Provider value={work}>
      <Workplace />
    </BenchContext.Provider>
  );
}

export function Bench() {
  const { shotId = "" } = useParams();
  const shot = useShot(shotId);
  const [begun, setBegun] = useState<string | null>(null);
  // Another shot begins with a clean state, at its reference frame.
  useEffect(() => {
    if (!shot.data || begun === shotId) return;
    const surface = shot.data.document.surfaces[0];
    const take = shot.data.takes.find((t) => t.id === surface?.take);
    const step: StepId = !surface ? "outline" : !take ? "track" : "inspect";
    setBench({ ...START, frame: surface?.reference_frame ?? 0, step, surface: surface?.id ?? null });
    setBegun(shotId);
  }, [begun, shot.data, shotId]);
  useEffect(() => {
    if (shot.data) window.document.title = `${shot.data.document.name} - Verdigris`;
  }, [shot.data]);
  if (shot.error)
    return (
      <div className="centre quiet">
        {shot.error.message} <Link to="/">To the Board</Link>
      </div>
    );
  if (!shot.data || begun !== shotId)
    return (
      <div className="centre">
        <Spin />
      </div>
    );
  return <Loaded shot={shot.data} />;
}
