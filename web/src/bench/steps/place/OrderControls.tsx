/** A running order: a line of blocks as long as they last, and the block in hand below it. */
import { Button, Dropdown, InputNumber, Segmented } from "antd";
import { useState } from "react";
import type { Artwork } from "../../../api/client";
import { urls } from "../../../api/client";
import { useMedia, useSlots } from "../../../api/queries";
import { useWork } from "../../context";
import { fileArtwork, hexOf, KIND_NAMES, madeArtwork, mediaOf } from "../../../shelf/artwork";
import { Field } from "../parts";
import { usePlacing } from "./usePlacing";

type Order = Extract<Artwork, { kind: "order" }>;
type Item = Order["items"][number];

/** An item as it begins. */
export function orderItem(artwork: Item["artwork"], frames: number, slot: string | null = null): Item {
  return { artwork, slot, pin: null, version: null, first: 0, frames, dissolve: 0, fit: "fill" };
}

export function OrderControls({ artwork }: { artwork: Order }) {
  const { shot, plate, count } = useWork();
  const media = useMedia().data ?? [];
  const slots = useSlots(shot.project_id).data ?? [];
  const { set } = usePlacing();
  const [at, setAt] = useState(0);
  const index = Math.min(at, artwork.items.length - 1);
  const item = artwork.items[index];
  const change = (part: Partial<Order>) => set({ artwork: { ...artwork, ...part } });
  const setItem = (part: Partial<Item>) => change({ items: artwork.items.map((x, i) => (i === index ? { ...x, ...part } : x)) });
  const name = (x: Item) =>
    x.artwork.kind === "file"
      ? (shot.media[x.artwork.media ?? ""]?.name ?? "file")
      : x.artwork.kind === "text"
        ? x.artwork.text.split("\n")[0]
        : KIND_NAMES[x.artwork.kind];
  const move = (step: number) => {
    const items = [...artwork.items];
    const [one] = items.splice(index, 1);
    if (!one) return;
    items.splice(index + step, 0, one);
    change({ items });
    setAt(index + step);
  };
  const files = media.filter((m) => m.facts && m.hash !== plate.hash).map((m) => ({ key: m.hash, label: m.name }));
  const held = slots
    .filter((x) => x.versions.find((v) => v.number === x.current)?.artwork.kind !== "order")
    .map((x) => ({ key: `slot ${x.key}`, label: `${x.name}, from the shelf` }));
  const append = (key: string) => {
    const [kind, slot] = key.split(" ");
    const frames = Math.max(1, Math.round(count / (artwork.items.length + 1)));
    const made = key === "colour" || key === "text" || key === "chart" ? madeArtwork(key) : fileArtwork(key);
    setAt(artwork.items.length);
    change({ items: [...artwork.items, kind === "slot" && slot ? orderItem({ kind: "slot" }, frames, slot) : orderItem(made as Item["artwork"], frames)] });
  };
  return (
    <>
      <div className="order" role="listbox" aria-label="running order" data-testid="order">
        {artwork.items.map((x, i) => {
          const hash = mediaOf(x.artwork)[0];
          return (
            <button
              key={i}
              className={`plain block ${i === index ? "on" : ""}`}
              role="option"
              aria-selected={i === index}
              style={{ flexGrow: x.frames, ...(x.artwork.kind === "colour" ? { background: hexOf(x.artwork.rgb) } : {}) }}
              title={`${name(x) ?? ""}, ${x.frames} frames`}
              onClick={() => setAt(i)}
            >
              {hash && <img src={urls.proxy(hash, 0)} alt="" />}
              <span className="mono small">{x.frames}</span>
            </button>
          );
        })}
      </div>
      {item && (
        <>
          <Field label={String(name(item) ?? "Item")}>
            <span className="row">
              <Button size="small" disabled={index === 0} aria-label="earlier" onClick={() => move(-1)}>
                ←
              </Button>
              <Button size="small" disabled={index === artwork.items.length - 1} aria-label="later" onClick={() => move(1)}>
                →
              </Button>
              <Button
                size="small"
                disabled={artwork.items.length < 2}
                aria-label="take the item out"
                onClick={() => change({ items: artwork.items.filter((_, i) => i !== index) })}
              >
                ×
              </Button>
            </span>
          </Field>
          <Field label="Lasts" hint="Frames of the running order">
            <InputNumber
              size="small"
              style={{ width: 84 }}
              min={1}
              precision={0}
              value={item.frames}
              suffix="f"
              aria-label="lasts"
              onChange={(frames) => frames !== null && setItem({ frames })}
            />
          </Field>
          <Field label="Fades in over" hint="Frames; 0 is a cut">
            <InputNumber
              size="small"
              style={{ width: 84 }}
              min={0}
              precision={0}
              value={item.dissolve}
              suffix="f"
              aria-label="fades in over"
              onChange={(dissolve) => dissolve !== null && setItem({ dissolve })}
            />
          </Field>
          <Field label="Begins with" hint="Its own frame">
            <InputNumber
              size="small"
              style={{ width: 84 }}
              min={0}
              precision={0}
              value={item.first}
              aria-label="begins with"
              onChange={(first) => first !== null && setItem({ first })}
            />
          </Field>
          <Field label="Its fit">
            <Segmented size="small" value={item.fit} options={["fit", "fill", "stretch"]} onChange={(fit) => setItem({ fit: fit as Item["fit"] })} />
          </Field>
        </>
      )}
      <Dropdown
        trigger={["click"]}
        menu={{
          items: [...held, ...files, { key: "colour", label: "Colour" }, { key: "text", label: "Text" }, { key: "chart", label: "Mark chart" }],
          onClick: ({ key }) => append(key),
        }}
      >
        <Button size="small" data-testid="add-item">
          Add to the order
        </Button>
      </Dropdown>
      <Field label="Made at" hint="Width and height, px">
        <span className="row figures">
          {(["width", "height"] as const).map((side) => (
            <InputNumber
              key={side}
              size="small"
              controls={false}
              style={{ width: 72 }}
              min={2}
              max={16_384}
              precision={0}
              value={artwork[side]}
              aria-label={`order ${side}`}
              onChange={(v) => v !== null && change({ [side]: v })}
            />
          ))}
        </span>
      </Field>
    </>
  );
}
