/** A matte as a list, read from top to bottom: each part with its sign, its picture and its switch. */
import { Button, Dropdown, Switch, Tooltip } from "antd";
import { type DragEvent, useState } from "react";
import { urls } from "../../../api/client";
import { useMedia } from "../../../api/queries";
import { useWork } from "../../context";
import { movedTo, PART_NAMES, partText, SIGN_HINTS, SIGNS, withPart } from "../../model/matte";
import { setBench, useCalmFrame } from "../../state";
import { setTool } from "../../tools";
import { useTakesState } from "../../viewer/useFrameUrls";
import { useMasking } from "./useMasking";

export function Recipe() {
  const { shot, document, surface, firstFrame, plate } = useWork();
  const size = plate.facts;
  // A clean picture, or a matte, has the plate's size.
  const files = (useMedia().data ?? []).filter((m) => m.hash !== plate.hash && m.facts && m.facts.width === size?.width && m.facts.height === size.height);
  const { matte, index, set, add } = useMasking();
  const frame = useCalmFrame();
  const state = useTakesState();
  const [held, setHeld] = useState<number | null>(null);
  const drop = (e: DragEvent, to: number) => {
    e.preventDefault();
    if (matte && held !== null && held !== to) set(movedTo(matte, held, to));
    setHeld(null);
  };
  const occluders = document.occluders.map((o) => ({ key: `outline:${o.id}`, label: `${o.name}, an outline in front` }));
  const begin = (key: string) => {
    if (key === "key") {
      setBench({ part: -1 });
      setTool("sample");
    } else if (key === "shape") setTool("matte");
    else if (key === "brightness") add({ kind: "brightness" } as Parameters<typeof add>[0]);
    else if (key === "region" && surface) add({ kind: "region", surface: surface.id } as Parameters<typeof add>[0]);
    else if (key.startsWith("difference:")) add({ kind: "difference", clean: { media: key.slice(11) } } as Parameters<typeof add>[0]);
    else if (key.startsWith("file:")) add({ kind: "file", file: { media: key.slice(5) } } as Parameters<typeof add>[0]);
    else if (key.startsWith("outline:")) add({ kind: "outline", outline: key.slice(8) } as Parameters<typeof add>[0]);
  };
  return (
    <div className="stack" data-testid="recipe">
      {matte?.parts.map((p, i) => (
        <div
          key={i}
          className={`stack-row ${i === index ? "on" : ""}`}
          data-testid={`part-${i}`}
          draggable
          onDragStart={() => setHeld(i)}
          onDragOver={(e) => e.preventDefault()}
          onDrop={(e) => drop(e, i)}
        >
          <Tooltip title={`${SIGN_HINTS[p.combine]}; click for the next`}>
            <Button
              size="small"
              type="text"
              className="sign"
              aria-label={`sign: ${SIGN_HINTS[p.combine]}`}
              onClick={() => set(withPart(matte, i, { ...p, combine: p.combine === "add" ? "subtract" : p.combine === "subtract" ? "intersect" : "add" }))}
            >
              {SIGNS[p.combine]}
            </Button>
          </Tooltip>
          <button className="plain stack-name" aria-pressed={i === index} onClick={() => setBench({ part: i, matte: matte.id })}>
            <img className="thumb wide" alt="" src={urls.matte(shot.id, shot.revision, matte.id, "alone", frame, state, i)} />
            <span className="ellipsis">
              {p.name ?? PART_NAMES[p.kind]}
              <i className="quiet small">{partText(p, firstFrame)}</i>
            </span>
          </button>
          <Switch size="small" checked={p.on} aria-label={`${PART_NAMES[p.kind]} counts`} onChange={(on) => set(withPart(matte, i, { ...p, on }))} />
          <Button size="small" type="text" aria-label={`take ${PART_NAMES[p.kind]} out`} onClick={() => set(withPart(matte, i, null))}>
            ×
          </Button>
        </div>
      ))}
      <Dropdown
        trigger={["click"]}
        menu={{
          onClick: ({ key }) => begin(key),
          items: [
            { key: "key", label: "Key: draw around bare screen" },
            { key: "shape", label: "Shape: draw it" },
            { key: "brightness", label: "Brightness" },
            ...(surface ? [{ key: "region", label: `Region that ${surface.name} is followed by` }] : []),
            ...occluders,
            {
              key: "difference",
              label: "Difference against a clean picture",
              disabled: files.length === 0,
              children: files.map((m) => ({ key: `difference:${m.hash}`, label: m.name })),
            },
            { key: "file", label: "Matte from a file", disabled: files.length === 0, children: files.map((m) => ({ key: `file:${m.hash}`, label: m.name })) },
          ],
        }}
      >
        <Button size="small" data-testid="add-part">
          {matte?.parts.length ? "Add a part" : "Begin a matte"}
        </Button>
      </Dropdown>
    </div>
  );
}
