/** Where the region does not move with the plane: proposals to cut out, or to outline as something in front. */
import { useQuery } from "@tanstack/react-query";
import { Button, Tooltip } from "antd";
import { useEffect, useMemo, useState } from "react";
import { api, data, type DisagreementView, type Edit } from "../../api/client";
import { useWork } from "../context";
import { at } from "../model/geometry";
import { regionShapes } from "../model/keyed";
import { freshId } from "../model/shot";
import { goTo, type Offered, setBench, useBench, useCalmFrame } from "../state";
import { setShapes } from "../viewer/useShapes";
import { Note } from "./parts";

/** What a proposal would become: an outline with one key at the reference frame, or with keys from frame to frame. */
function offerOf(d: DisagreementView, reference: number): Offered {
  const keys = d.kind === "content" ? [{ frame: reference, points: d.outline }] : d.keys;
  return {
    kind: d.kind === "content" ? "exclude" : "occluder",
    keys: keys.map((k) => ({ frame: k.frame, points: k.points.map((p) => at(p)), ease: "linear" })),
    span: d.frames,
  };
}

export function Disagreements() {
  const { shot, document, surface, take, edit, count, firstFrame } = useWork();
  const picked = useBench((s) => s.picked);
  const frame = useCalmFrame();
  const [asked, setAsked] = useState<string | null>(null);
  const offered = useBench((s) => s.offered);
  const span = picked && picked[1] - picked[0] >= 3 ? picked : [0, count - 1];
  const key = `${take?.id} ${span.join("-")}`;
  const wanted = asked === key;
  // What is offered goes with the panel, or when another span or take is asked about.
  useEffect(() => () => setBench({ offered: null }), [key]);
  const found = useQuery({
    queryKey: ["disagreements", shot.id, surface?.id, take?.id, ...span],
    enabled: wanted,
    staleTime: Infinity,
    retry: false,
    queryFn: async () => {
      const params = { path: { shot_id: shot.id, surface_id: surface?.id ?? "" }, query: { first: span[0], last: span[1] } };
      return data<DisagreementView[]>(await api.GET("/api/shots/{shot_id}/surfaces/{surface_id}/disagreements", { params }));
    },
  });
  const offers = useMemo(() => (found.data ?? []).map((d) => offerOf(d, surface?.reference_frame ?? 0)), [found.data, surface?.reference_frame]);
  if (!surface || !take) return null;
  if (!wanted || found.isFetching) {
    return (
      <Tooltip title="Looks at frames again, place by place, and outlines what does not move with the surface">
        <Button size="small" loading={found.isFetching} onClick={() => setAsked(key)} data-testid="ask-disagreements">
          What does not move with it?
        </Button>
      </Tooltip>
    );
  }
  if (found.error) return <Note tone="warn">{found.error.message}</Note>;
  const reference = surface.reference_frame;
  const look = (offer: Offered | undefined) => {
    if (!offer) return;
    const [first, last] = offer.span;
    if (frame < first || frame > last) goTo((first + last) / 2, count);
    setBench({ offered: offer === offered ? null : offer });
  };
  const cutOut = (d: DisagreementView) => {
    const shape = {
      role: "exclude" as const,
      outline: "straight" as const,
      rides: "plane" as const,
      feather_px: 0,
      keys: [{ frame: reference, points: d.outline, ease: "linear" as const }],
    };
    setBench({ step: "outline", frame: reference });
    void edit(setShapes(surface, [...regionShapes(surface), shape]));
  };
  const inFront = (d: DisagreementView) => {
    const id = freshId(
      "in-front",
      [...document.surfaces, ...document.occluders].map((x) => x.id),
    );
    const depth = Math.min(...document.surfaces.map((s) => s.depth), ...document.occluders.map((o) => o.depth)) - 1;
    const occluder = { id, name: `In front ${document.occluders.length + 1}`, depth, rides: surface.id, span: d.frames, feather_px: 0.8, keys: d.keys };
    setBench({ step: "outline", frame: d.frames[0], selection: { kind: "points", shape: `occluder:${id}`, indices: [] } });
    void edit({ kind: "add_occluder", occluder } as unknown as Edit);
  };
  return (
    <div className="rows" data-testid="disagreements">
      {found.data?.length === 0 && <Note>The whole region moves with the surface.</Note>}
      {found.data?.map((d, i) => (
        <div key={i} className="row apart">
          <button
            className="plain small offer"
            title="Shows it in the picture, at a frame where it is there"
            aria-pressed={offered !== null && offers[i] === offered}
            onClick={() => look(offers[i])}
          >
            {Math.max(1, Math.round(100 * d.share_of_region))} % {d.kind === "content" ? "moves otherwise" : "is covered"}, {d.frames[0] + firstFrame}-
            {d.frames[1] + firstFrame}
            <i className="quiet">{d.helps > 0 ? `left out mostly by itself (${Math.round(100 * d.helps)} %)` : "not left out by itself"}</i>
          </button>
          {d.kind === "content" ? (
            <Button size="small" onClick={() => cutOut(d)}>
              Cut it out
            </Button>
          ) : (
            <Button size="small" onClick={() => inFront(d)}>
              It is in front
            </Button>
          )}
        </div>
      ))}
    </div>
  );
}
