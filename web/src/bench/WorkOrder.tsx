/** The steps in the order people work, each with one line of truth for the chosen surface. */
import { Tooltip } from "antd";
import { rangesText, rateText } from "../ui/format";
import { type BenchWork, useWork } from "./context";
import { regionShapes } from "./model/keyed";
import { PART_NAMES, type PartId } from "./model/match";
import { placementName } from "./model/placing";
import { ShelfButton } from "./ShelfButton";
import type { StepId } from "./model/views";
import { setBench, useBench } from "./state";

type Line = { text: string; mark: "done" | "look" | "open" };

function lines(work: BenchWork): Record<StepId, Line> {
  const { document, plate, surface, take, shot, firstFrame, count } = work;
  const facts = plate.facts;
  const placed = document.placements.filter((p) => !p.surface || p.surface === surface?.id);
  const mattes = document.mattes.length;
  const used = document.mattes.filter((m) => document.placements.some((p) => p.kept_in_front.includes(m.id) || p.shown_only_in.includes(m.id))).length;
  const own = document.match.find((m) => m.surface === surface?.id);
  const matched = own?.on ? (Object.keys(PART_NAMES) as PartId[]).filter((k) => own[k]).length : 0;
  const delivered = shot.deliveries[0];
  const reading = plate.state === "reading";
  const shapes = surface ? regionShapes(surface).filter((s) => s.role === "include").length : 0;
  const cuts = surface ? regionShapes(surface).length - shapes : 0;
  const squarePixels = facts?.pixel_aspect === "1/1";
  return {
    prepare: reading
      ? { text: `reading, ${plate.proxies} of ${count}`, mark: "open" }
      : {
          text: `${rateText(facts?.rate ?? document.plate.rate)}, ${squarePixels ? "square pixels" : `pixels ${facts?.pixel_aspect.replace("/", ":")}`}`,
          mark: "done",
        },
    outline: !surface
      ? { text: "nothing outlined", mark: "open" }
      : {
          text: `${shapes || "no"} ${shapes === 1 ? "shape" : "shapes"}, ${cuts} cut out, ${surface.corners ? "corners placed" : "no corners"}`,
          mark: surface.corners ? "done" : "open",
        },
    track: !take
      ? { text: "not tracked", mark: "open" }
      : {
          text: `${rangesText(take.ranges.slice(0, 2), firstFrame) || "nothing followed"}${take.stale ? ", changed since" : ""}`,
          mark: take.stale || take.lost ? "look" : take.followed === count ? "done" : "open",
        },
    inspect: !take
      ? { text: "no track yet", mark: "open" }
      : take.looks.length
        ? { text: `${take.looks.length} ${take.looks.length === 1 ? "frame" : "frames"} to look at`, mark: "look" }
        : { text: "nothing to look at", mark: "done" },
    place: placed.length
      ? { text: placed.length === 1 && placed[0] ? placementName(placed[0], shot.media) : `${placed.length} placed`, mark: "done" }
      : { text: "no artwork", mark: "open" },
    mask: mattes
      ? { text: `${mattes} ${mattes === 1 ? "matte" : "mattes"}, ${used} in use`, mark: used === mattes ? "done" : "look" }
      : { text: document.occluders.length ? "outlines only" : "nothing kept in front", mark: document.occluders.length ? "done" : "open" },
    match: matched ? { text: `${matched} taken over`, mark: "done" } : { text: "nothing taken over", mark: "open" },
    handover: delivered
      ? { text: delivered.state === "done" ? `${delivered.file}` : delivered.state, mark: delivered.state === "done" ? "done" : "open" }
      : { text: "nothing sent yet", mark: "open" },
  };
}

const STEPS: { id: StepId; name: string; key: string }[] = [
  { id: "prepare", name: "Prepare", key: "1" },
  { id: "outline", name: "Outline", key: "2" },
  { id: "track", name: "Track", key: "3" },
  { id: "inspect", name: "Inspect", key: "4" },
  { id: "place", name: "Place", key: "6" },
  { id: "mask", name: "Mask", key: "7" },
  { id: "match", name: "Match", key: "8" },
  { id: "handover", name: "Hand over", key: "9" },
];

function StepMark({ mark }: { mark: Line["mark"] }) {
  return (
    <svg width="16" height="16" role="img" aria-label={{ done: "in order", look: "needs eyes", open: "open" }[mark]}>
      {mark === "done" && <circle cx="8" cy="8" r="5" fill="#62b5a3" />}
      {mark === "look" && <path d="M8 2L14 8L8 14L2 8Z" fill="none" stroke="#d18c5c" strokeWidth="2" />}
      {mark === "open" && <circle cx="8" cy="8" r="5" fill="none" stroke="#a3aba6" strokeWidth="1.5" />}
    </svg>
  );
}

export function WorkOrder() {
  const work = useWork();
  const step = useBench((s) => s.step);
  const truth = lines(work);
  return (
    <nav className="work-order" aria-label="work order">
      {STEPS.map(({ id, name, key }) => (
        <Tooltip key={id} title={`Key ${key}`} placement="right" mouseEnterDelay={0.6}>
          <button
            className={`plain step ${step === id ? "on" : ""}`}
            aria-current={step === id}
            data-testid={`step-${id}`}
            onClick={() => setBench({ step: id, tool: "move" })}
          >
            <StepMark mark={truth[id].mark} />
            <span>
              <b>{name}</b>
              <i className="quiet small">{truth[id].text}</i>
            </span>
          </button>
        </Tooltip>
      ))}
      <ShelfButton />
    </nav>
  );
}
