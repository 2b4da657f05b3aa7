/** What is placed: a file and how it is read, or a picture that is made here. */
import { ColorPicker, Input, InputNumber, Segmented, Select } from "antd";
import type { Artwork } from "../../../api/client";
import { useMedia } from "../../../api/queries";
import { mediaFactsText } from "../../../ui/format";
import { useWork } from "../../context";
import { hexOf, rgbOf } from "../../../shelf/artwork";
import { HELD } from "../../held";
import { FoldedColour } from "../Colour";
import { Fact, Field, Note } from "../parts";
import { OrderControls } from "./OrderControls";
import { usePlacing } from "./usePlacing";

function Colour({ label, rgb, set }: { label: string; rgb: readonly number[]; set: (rgb: [number, number, number]) => void }) {
  return (
    <Field label={label}>
      <ColorPicker size="small" disabledAlpha showText value={hexOf(rgb)} onChangeComplete={(c) => set(rgbOf(c.toHex()))} />
    </Field>
  );
}

function FileControls({ artwork }: { artwork: Extract<Artwork, { kind: "file" }> }) {
  const { shot, plate, firstFrame, count } = useWork();
  const media = useMedia().data ?? [];
  const { chosen, set } = usePlacing();
  const file = artwork.media ? shot.media[artwork.media] : undefined;
  if (!chosen) return null;
  const f = file?.facts;
  const change = (part: Partial<typeof artwork>) => set({ artwork: { ...artwork, ...part } });
  const drawn = chosen.painted ?? (chosen.drawn_over !== null ? "frame" : "made");
  const overs = [
    { value: "made", label: "as flat artwork" },
    { value: "frame", label: "over a frame of the plate" },
    ...HELD.map((x) => ({ value: x.value, label: `over the plate held still: ${x.label}` })),
  ];
  return (
    <>
      {file && <Fact label="File" value={mediaFactsText(file)} />}
      {f && <FoldedColour facts={f} choice={artwork.colour} placement={chosen.id} />}
      {f?.has_alpha && (
        <Field
          label="Transparency"
          hint="How its colour goes with its transparency: straight is as bright as without it, premultiplied is darker at soft edges"
        >
          <Select
            size="small"
            style={{ width: 190 }}
            value={artwork.alpha}
            aria-label="transparency"
            onChange={(alpha) => change({ alpha })}
            options={[
              { value: "file", label: "as the file says" },
              { value: "straight", label: "straight" },
              { value: "premultiplied", label: "premultiplied" },
              { value: "none", label: "left out" },
            ]}
          />
        </Field>
      )}
      <Field label="Its matte" hint="Where its transparency is a file of its own: white is there">
        <Select
          size="small"
          style={{ width: 190 }}
          allowClear
          placeholder="none"
          aria-label="matte file"
          value={artwork.matte?.media ?? undefined}
          options={media.filter((m) => m.facts && m.hash !== plate.hash && m.hash !== artwork.media).map((m) => ({ value: m.hash, label: m.name }))}
          onChange={(hash?: string) => change({ matte: hash ? ({ media: hash } as typeof artwork.matte) : null })}
        />
      </Field>
      <Field
        label="Drawn"
        hint="As flat artwork, like a poster; over a frame of the plate, in its perspective; or over the plate held still, like a patch that hides a mark"
      >
        <Select
          size="small"
          style={{ width: 190 }}
          value={drawn}
          aria-label="what the artwork was made on"
          data-testid="painted"
          options={overs}
          onChange={(v) =>
            set(
              v === "frame"
                ? { painted: null, drawn_over: chosen.drawn_over ?? 0 }
                : { painted: v === "made" ? null : (v as typeof chosen.painted), drawn_over: null },
            )
          }
        />
      </Field>
      {chosen.drawn_over !== null && (
        <Field label="Over frame" hint="On that frame it lies exactly as drawn; from there it rides on the surface">
          <InputNumber
            size="small"
            style={{ width: 84 }}
            min={firstFrame}
            max={firstFrame + count - 1}
            value={chosen.drawn_over + firstFrame}
            aria-label="over frame"
            onChange={(v) => v !== null && set({ drawn_over: v - firstFrame })}
          />
        </Field>
      )}
      {drawn !== "made" && f && !f.has_alpha && !artwork.matte && (
        <Note tone="warn">
          {drawn === "frame"
            ? "It has no transparency: only what lies within the surface is seen."
            : "It has no transparency: the whole canvas comes back, not just what was painted."}
        </Note>
      )}
    </>
  );
}

function TextControls({ artwork }: { artwork: Extract<Artwork, { kind: "text" }> }) {
  const { set } = usePlacing();
  const change = (part: Partial<typeof artwork>) => set({ artwork: { ...artwork, ...part } });
  return (
    <>
      <Input.TextArea
        defaultValue={artwork.text}
        key={artwork.text}
        autoSize={{ minRows: 2, maxRows: 5 }}
        maxLength={2000}
        aria-label="text"
        data-testid="text"
        onBlur={(e) => e.target.value.trim() && e.target.value !== artwork.text && change({ text: e.target.value })}
      />
      <Field label="Letters">
        <Segmented
          size="small"
          value={artwork.weight}
          options={["regular", "bold"]}
          onChange={(weight) => change({ weight: weight as typeof artwork.weight })}
        />
      </Field>
      <Field label="Lies">
        <Segmented
          size="small"
          value={artwork.align}
          options={["left", "middle", "right"]}
          onChange={(align) => change({ align: align as typeof artwork.align })}
        />
      </Field>
      <Colour label="Colour" rgb={artwork.rgb} set={(rgb) => change({ rgb })} />
      <Field label="Line around" hint="A line around the letters">
        <Segmented
          size="small"
          value={artwork.outline_rgb ? "line" : "none"}
          options={["none", "line"]}
          onChange={(v) => change({ outline_rgb: v === "line" ? [255, 255, 255] : null })}
        />
      </Field>
      {artwork.outline_rgb && <Colour label="Its colour" rgb={artwork.outline_rgb} set={(outline_rgb) => change({ outline_rgb })} />}
      <Field label="Behind it" hint="A ground of one colour, or the surface itself">
        <Segmented
          size="small"
          value={artwork.ground ? "ground" : "surface"}
          options={[
            { value: "surface", label: "old surface" },
            { value: "ground", label: "colour" },
          ]}
          onChange={(v) => change({ ground: v === "ground" ? [244, 236, 218] : null })}
        />
      </Field>
      {artwork.ground && <Colour label="Its colour" rgb={artwork.ground} set={(ground) => change({ ground })} />}
    </>
  );
}

export function ArtworkControls() {
  const { chosen, set } = usePlacing();
  if (!chosen) return null;
  const a = chosen.artwork;
  if (a.kind === "file") return <FileControls artwork={a} />;
  if (a.kind === "text") return <TextControls artwork={a} />;
  if (a.kind === "order") return <OrderControls artwork={a} />;
  if (a.kind === "colour") return <Colour label="Colour" rgb={a.rgb} set={(rgb) => set({ artwork: { ...a, rgb } })} />;
  if (a.kind === "chart")
    return (
      <Field label="Squares" hint="Numbered squares along its longer side; a number as wide as high shows right proportions">
        <InputNumber
          size="small"
          style={{ width: 84 }}
          min={2}
          max={40}
          value={a.squares}
          aria-label="squares"
          onChange={(squares) => squares !== null && set({ artwork: { ...a, squares } })}
        />
      </Field>
    );
  return null;
}
