/** Place: what lies on the surface, and how. */
import { Button, Collapse, Dropdown, Select, Tooltip } from "antd";
import { useState } from "react";
import type { Edit, MediaView } from "../../api/client";
import { useMedia } from "../../api/queries";
import { Upload } from "../../ui/Upload";
import { useBinEdits } from "../../ui/useBin";
import { useWork } from "../context";
import { fileArtwork, mediaOf } from "../../shelf/artwork";
import { setBench } from "../state";
import { Field, Note } from "./parts";
import { ArtworkControls } from "./place/ArtworkControls";
import { BelowControls } from "./place/BelowControls";
import { FitControls, PlaneControls } from "./place/PlaneControls";
import { DrawOver } from "./place/DrawOver";
import { FromShelf } from "./place/FromShelf";
import { Stack } from "./place/Stack";
import { EndsEarly, TimeControls } from "./place/TimeControls";
import { usePlacing } from "./place/usePlacing";

/** Artwork that no placement of this shot shows: it can be put into the bin. */
function Unused() {
  const { document, plate } = useWork();
  const media = useMedia().data ?? [];
  const { remove } = useBinEdits();
  const shown = new Set([plate.hash, ...document.placements.flatMap((p) => mediaOf(p.artwork))]);
  const rest = media.filter((m) => !shown.has(m.hash));
  if (rest.length === 0) return null;
  return (
    <Dropdown
      trigger={["click"]}
      menu={{
        items: rest.map((m) => ({ key: m.hash, label: m.name })),
        onClick: ({ key }) => {
          const m = rest.find((x) => x.hash === key);
          if (m) void remove("media", m.hash, m.name);
        },
      }}
    >
      <Button size="small" data-testid="remove-media">
        Put a file into the bin
      </Button>
    </Dropdown>
  );
}

export function Place() {
  const { surface, plate, edit, document } = useWork();
  const media = useMedia().data ?? [];
  const { chosen, set, add } = usePlacing();
  const [adding, setAdding] = useState(false);
  if (!surface?.corners && !document.placements.some((p) => !p.surface)) {
    return (
      <div className="rows">
        <h2>No corners to pin to</h2>
        <Note>Artwork is pinned to the four corners of a surface. Place them first.</Note>
        <Button type="primary" onClick={() => setBench({ step: "outline" })}>
          Go to Outline
        </Button>
      </div>
    );
  }
  const choose = (m: MediaView) => {
    if (chosen && chosen.artwork.kind === "file" && !adding) set({ artwork: fileArtwork(m.hash) });
    else add(fileArtwork(m.hash));
    setAdding(false);
    setBench({ shown: "result", wipe: null });
  };
  const file = chosen?.artwork.kind === "file" && !adding ? chosen.artwork.media : undefined;
  const files = !chosen || adding || chosen.artwork.kind === "file";
  return (
    <div className="rows">
      <Stack addFile={() => setAdding(true)} />
      <DrawOver />
      {chosen && !adding && <FromShelf />}
      {files && !(chosen?.slot && !adding) && (
        <>
          <Field label={adding ? "Which file" : "Artwork"}>
            <Select
              size="small"
              style={{ width: 190 }}
              value={file ?? undefined}
              placeholder="choose"
              aria-label="artwork"
              data-testid="artwork"
              options={media.filter((m) => m.facts && m.hash !== plate.hash).map((m) => ({ value: m.hash, label: m.name }))}
              onChange={(hash: string) => {
                const m = media.find((x) => x.hash === hash);
                if (m) choose(m);
              }}
            />
          </Field>
          <Upload title="Drop artwork here, or click" hint="still, film, numbered stills" onMedia={choose} />
        </>
      )}
      {chosen && !adding && (
        <>
          <FitControls />
          <EndsEarly />
          <Collapse
            ghost
            size="small"
            className="sections"
            key={chosen.id}
            defaultActiveKey={chosen.artwork.kind === "file" ? [] : ["artwork"]}
            items={[
              {
                key: "artwork",
                label: "What it is",
                children: (
                  <div className="rows">
                    <ArtworkControls />
                  </div>
                ),
              },
              {
                key: "plane",
                label: "In the plane",
                children: (
                  <div className="rows">
                    <PlaneControls />
                  </div>
                ),
              },
              {
                key: "time",
                label: "In time",
                children: (
                  <div className="rows">
                    <TimeControls />
                  </div>
                ),
              },
              {
                key: "below",
                label: "With what is below",
                children: (
                  <div className="rows">
                    <BelowControls />
                  </div>
                ),
              },
            ]}
          />
          <Tooltip title="The surface is left as it is; the artwork stays in the project">
            <Button
              size="small"
              onClick={() => {
                setBench({ shown: "plate", wipe: null, placement: null });
                void edit({ kind: "remove_placement", placement: chosen.id } as Edit);
              }}
            >
              Take it off
            </Button>
          </Tooltip>
        </>
      )}
      <div className="rule" />
      <Unused />
    </div>
  );
}
