/** Place: pin artwork onto the corners. */
import { Button, Dropdown, Segmented, Select, Tooltip } from "antd";
import type { Edit, MediaView, Placement } from "../../api/client";
import { useMedia } from "../../api/queries";
import { mediaFactsText, rateNumber, rateText } from "../../ui/format";
import { Upload } from "../../ui/Upload";
import { useBinEdits } from "../../ui/useBin";
import { useWork } from "../context";
import { HELD } from "../held";
import { setBench } from "../state";
import { FoldedColour } from "./Colour";
import { Felt } from "./Felt";
import { Fact, Field, Note } from "./parts";

/** Artwork that no shot of this project shows: it can be put into the bin. */
function Unused() {
  const { shot, plate } = useWork();
  const media = useMedia().data ?? [];
  const { remove } = useBinEdits();
  const shown = new Set([plate.hash, ...shot.document.placements.map((p) => p.artwork.media)]);
  const rest = media.filter((m) => !shown.has(m.hash));
  if (rest.length === 0) return null;
  return (
    <Dropdown trigger={["click"]} menu={{ items: rest.map((m) => ({ key: m.hash, label: m.name })), onClick: ({ key }) => { const m = rest.find((x) => x.hash === key); if (m) void remove("media", m.hash, m.name); } }}>
      <Button size="small" data-testid="remove-media">Put a file into the bin</Button>
    </Dropdown>
  );
}

export function Place() {
  const { surface, document, shot, plate, edit, count, rate } = useWork();
  const media = useMedia().data ?? [];
  if (!surface?.corners) {
    return (
      <div className="rows">
        <h2>No corners to pin to</h2>
        <Note>Artwork is pinned to the four corners of a surface. Place them first.</Note>
        <Button type="primary" onClick={() => setBench({ step: "outline" })}>Go to Outline</Button>
      </div>
    );
  }
  const placement = document.placements.find((p) => p.surface === surface.id);
  const artwork = placement?.artwork.media ? shot.media[placement.artwork.media] : undefined;
  const place = (change: Partial<Placement>) => {
    const base = placement ?? { surface: surface.id, fit: "fill", overshoot_px: 1, surround: "black", after_end: "hold" };
    void edit({ kind: "set_placement", placement: { ...base, ...change } } as Edit);
  };
  const choose = (m: MediaView) => {
    place({ artwork: { media: m.hash } as Placement["artwork"] });
    setBench({ shown: "result", wipe: null });
  };
  const f = artwork?.facts;
  const short = f && f.kind !== "still" && f.frame_count < count;
  const otherRate = f && f.kind !== "still" && f.rate && Math.abs(rateNumber(f.rate) - rate) > 1e-6;
  return (
    <div className="rows">
      <Field label="Artwork">
        <Select size="small" style={{ width: 190 }} value={artwork?.hash} placeholder="choose" aria-label="artwork" data-testid="artwork"
          options={media.filter((m) => m.facts && m.hash !== plate.hash).map((m) => ({ value: m.hash, label: m.name }))}
          onChange={(hash: string) => {
            const m = media.find((x) => x.hash === hash);
            if (m) choose(m);
          }} />
      </Field>
      <Upload title="Drop artwork here, or click" hint="still, film, numbered stills" onMedia={choose} />
      {placement && artwork && (
        <>
          <Fact label="File" value={mediaFactsText(artwork)} />
          {f && <FoldedColour facts={f} choice={placement.artwork.colour} surface={surface.id} />}
          <Field label="Drawn" hint="As flat artwork, like a poster; or painted over the plate held still, like a patch that hides a mark">
            <Select size="small" style={{ width: 190 }} value={placement.painted ?? "made"} aria-label="what the artwork was made on" data-testid="painted"
              options={[{ value: "made", label: "as flat artwork" }, ...HELD.map((x) => ({ value: x.value, label: `over the plate held still: ${x.label}` }))]} onChange={(v) => place({ painted: v === "made" ? null : (v as Placement["painted"]) })} />
          </Field>
          {!placement.painted && <Field label="Proportions" hint="Fit shows all of it, fill covers the surface, stretch ignores proportions">
            <Segmented size="small" value={placement.fit} options={["fit", "fill", "stretch"]} onChange={(fit) => place({ fit: fit as Placement["fit"] })} />
          </Field>}
          {placement.painted && f && !f.has_alpha && <Note tone="warn">It has no transparency: the whole canvas comes back, not just what was painted.</Note>}
          {!placement.painted && placement.fit === "fit" && (
            <Field label="Around it" hint="What shows on the surface around fitted artwork">
              <Segmented size="small" value={placement.surround} options={[{ value: "black", label: "black" }, { value: "plate", label: "old surface" }]} onChange={(v) => place({ surround: v as Placement["surround"] })} />
            </Field>
          )}
          {!placement.painted && <Felt label="Overshoot" hint="How far the edge is moved outwards, so that no old rim shows" name="overshoot"
            min={0} max={50} felt={5} step={0.1} value={placement.overshoot_px} unit="px" edit={(v) => ({ kind: "set_placement", placement: { ...placement, overshoot_px: v } }) as Edit} />}
          {f && f.kind !== "still" && (
            <Field label="After its end">
              <Segmented size="small" value={placement.after_end} options={["hold", "loop"]} onChange={(v) => place({ after_end: v as Placement["after_end"] })} />
            </Field>
          )}
          {short && <Note tone="warn">{`The artwork ends after ${f.frame_count} of ${count} frames; then it ${placement.after_end === "hold" ? "holds its last frame" : "begins again"}.`}</Note>}
          {otherRate && <Note tone="warn">{`The artwork has ${rateText(f.rate)}, the plate ${rateText(plate.facts?.rate ?? document.plate.rate)}: one frame of it is shown for each frame of the plate.`}</Note>}
          <Tooltip title="The surface is left as it is; the artwork stays in the project">
            <Button size="small" onClick={() => { setBench({ shown: "plate", wipe: null }); void edit({ kind: "remove_placement", surface: surface.id }); }}>Take it off</Button>
          </Tooltip>
        </>
      )}
      <div className="rule" />
      <Unused />
    </div>
  );
}
