/** A matte for what passes in front, found by looking; taken over as ordinary parts to work on. */
import { useQuery } from "@tanstack/react-query";
import { Button, Tooltip } from "antd";
import { useState } from "react";
import { api, data, type Edit, type MatteOffer } from "../../../api/client";
import { useWork } from "../../context";
import { newMatte } from "../../model/matte";
import { setBench } from "../../state";
import { Note } from "../parts";
import { matteEdit } from "./useMasking";

export function MatteProposal() {
  const { shot, document, surface, take, edit, firstFrame } = useWork();
  const key = `${surface?.id} ${take?.id}`;
  const [asked, setAsked] = useState<string | null>(null);
  const found = useQuery({
    queryKey: ["matte-proposal", shot.id, surface?.id, take?.id],
    enabled: asked === key && !!surface && !!take,
    staleTime: Infinity,
    retry: false,
    queryFn: async () =>
      data<MatteOffer | null>(
        await api.GET("/api/shots/{shot_id}/surfaces/{surface_id}/matte-proposal", { params: { path: { shot_id: shot.id, surface_id: surface?.id ?? "" } } }),
      ),
  });
  if (!surface || !take) return null;
  if (asked !== key || found.isFetching)
    return (
      <Tooltip title="Looks at frames again, outlines what does not move with the surface, and looks for a colour that tells it apart">
        <Button size="small" loading={found.isFetching} data-testid="propose-matte" onClick={() => setAsked(key)}>
          What passes in front?
        </Button>
      </Tooltip>
    );
  if (found.error) return <Note tone="warn">{found.error.message}</Note>;
  const offer = found.data;
  if (!offer) return <Note>Nothing more was found that passes in front of {surface.name}; what is outlined already was not looked at.</Note>;
  const takeOver = () => {
    const matte = { ...newMatte(surface.id, document.mattes), parts: offer.parts };
    const below = document.placements.find((p) => p.surface === surface.id)?.id ?? null;
    setBench({ matte: matte.id, part: 0, shown: "over", frame: Math.round((offer.frames[0] + offer.frames[1]) / 2) });
    setAsked(null);
    void edit(matteEdit(matte, below) as Edit);
  };
  return (
    <div className="rows" data-testid="matte-proposal">
      <Note tone={offer.sureness > 0.85 ? "quiet" : "warn"}>
        Frames {offer.frames[0] + firstFrame} to {offer.frames[1] + firstFrame}. {offer.said}
      </Note>
      <Button size="small" data-testid="take-matte" onClick={takeOver}>
        Take it over as a matte
      </Button>
    </div>
  );
}
