/** What lies on the chosen surface, nearest first. */
import { Button, Dropdown, Switch, Tooltip } from "antd";
import type { Artwork, Edit, Placement } from "../../../api/client";
import { useWork } from "../../context";
import { KIND_NAMES, madeArtwork } from "../../../shelf/artwork";
import { exchanged, placementName } from "../../model/placing";
import { edgeAspect } from "../../model/geometry";
import { setBench } from "../../state";
import { ArtworkPicture } from "../../../shelf/ArtworkPicture";
import { orderItem } from "./OrderControls";
import { usePlacing } from "./usePlacing";

function Row({ p, chosen }: { p: Placement; chosen: boolean }) {
  const { document, shot, edit } = useWork();
  const opacity = Array.isArray(p.opacity) ? "keyed" : `${Math.round(p.opacity * 100)} %`;
  const order = (step: 1 | -1) => exchanged(document.placements, p.id, step);
  const move = (step: 1 | -1) => {
    const ids = order(step);
    if (ids) void edit({ kind: "order_placements", far_to_near: ids } as Edit);
  };
  const name = placementName(p, shot.media);
  return (
    <div className={`stack-row ${chosen ? "on" : ""}`} data-testid={`placement-${p.id}`}>
      <button className="plain stack-name" aria-pressed={chosen} onClick={() => setBench({ placement: p.id })}>
        <ArtworkPicture artwork={p.artwork} />
        <span className="ellipsis">
          {name}
          <i className="quiet small">
            {p.blend.replace("_", " ")}, {opacity}
            {p.surface ? "" : ", in the picture"}
            {p.slot ? `, version ${p.version}` : ""}
          </i>
        </span>
      </button>
      <Button size="small" type="text" disabled={!order(1)} aria-label={`${name} nearer`} onClick={() => move(1)}>
        ↑
      </Button>
      <Button size="small" type="text" disabled={!order(-1)} aria-label={`${name} farther`} onClick={() => move(-1)}>
        ↓
      </Button>
      <Tooltip title={p.on ? "Seen" : "Not seen"}>
        <Switch
          size="small"
          checked={p.on}
          aria-label={`${name} is seen`}
          onChange={(on) => void edit({ kind: "set_placement", placement: { ...p, on } } as Edit)}
        />
      </Tooltip>
    </div>
  );
}

export function Stack({ addFile }: { addFile: () => void }) {
  const { stack, chosen, add } = usePlacing();
  const { surface, document, count, pixelAspect } = useWork();
  /** Begins with what lies on the surface already, upright or wide as the surface is. */
  const newOrder = (): Artwork => {
    const below = (chosen?.artwork.kind === "order" || !chosen ? madeArtwork("colour") : chosen.artwork) as Parameters<typeof orderItem>[0];
    const aspect = surface?.corners ? edgeAspect(surface.corners.map(([x, y]) => ({ x: x * pixelAspect, y }))) : document.plate.media ? 16 / 9 : 1;
    const [width, height] = aspect < 1 ? [1080, Math.round(1080 / aspect)] : [1920, Math.round(1920 / aspect)];
    return { kind: "order", width, height, pixel_aspect: 1, items: [orderItem(below, count)] } as Artwork;
  };
  const kinds = (["colour", "chart", "text"] as const).map((k) => ({ key: k, label: KIND_NAMES[k] }));
  return (
    <div className="stack" data-testid="stack">
      {stack.map((p) => (
        <Row key={p.id} p={p} chosen={p.id === chosen?.id} />
      ))}
      <Dropdown
        trigger={["click"]}
        menu={{
          items: [
            { key: "file", label: "File" },
            ...kinds,
            { key: "order", label: "Running order" },
            { key: "still", label: "Colour that stands in the picture" },
          ],
          onClick: ({ key }) =>
            key === "file"
              ? addFile()
              : key === "still"
                ? add(madeArtwork("colour"), null)
                : key === "order"
                  ? add(newOrder())
                  : add(madeArtwork(key as "colour" | "chart" | "text")),
        }}
      >
        <Button size="small" data-testid="add-placement">
          {stack.length ? `Place something else on ${surface?.name ?? "the picture"}` : "Place something"}
        </Button>
      </Dropdown>
    </div>
  );
}
