/** The shelf of a project: slots for artwork, their versions, and where each is shown. */
import { Button, Drawer, Dropdown, Empty, Input, Modal, Tooltip } from "antd";
import { type DragEvent, useState } from "react";
import type { MediaView, SlotView } from "../api/client";
import { useSlots } from "../api/queries";
import { timeText } from "../ui/format";
import { Upload } from "../ui/Upload";
import { fileArtwork } from "./artwork";
import { ArtworkPicture } from "./ArtworkPicture";
import "./shelf.css";
import { SLOT_DRAG, useShelf } from "./useShelf";

type Placing = { label: string; place: (slot: SlotView) => void };

function useText(slot: SlotView): string {
  if (slot.used.length === 0) return "in no shot yet";
  return slot.used
    .map(
      (u) =>
        `${u.name}${u.pinned ? ` (stays with ${u.versions.join(", ")})` : u.versions.some((v) => v !== slot.current) ? ` (shows ${u.versions.join(", ")})` : ""}`,
    )
    .join(", ");
}

/** What is new in a version, asked before it is put into its slot. */
function NewVersion({ slot, media, close, project }: { slot: SlotView; media: MediaView; close: () => void; project: string }) {
  const { addVersion } = useShelf(project);
  const [told, setTold] = useState({ revision: "", language: "", note: "" });
  const [busy, setBusy] = useState(false);
  const keep = async () => {
    setBusy(true);
    if (await addVersion(slot, fileArtwork(media.hash), told)) close();
    setBusy(false);
  };
  const shots = slot.used.filter((u) => !u.pinned).length;
  return (
    <Modal title={`A new version of ${slot.name}`} open onCancel={close} okText="Put it in" confirmLoading={busy} onOk={() => void keep()}>
      <div className="rows">
        <span className="quiet">
          {media.name}. {shots === 0 ? "No shot changes." : `${shots} ${shots === 1 ? "shot shows" : "shots show"} it from then on.`}
        </span>
        {(
          [
            ["revision", "Revision"],
            ["language", "Language"],
            ["note", "What is new"],
          ] as const
        ).map(([k, label]) => (
          <label key={k} className="row apart">
            {label}{" "}
            <Input
              style={{ width: 280 }}
              maxLength={k === "note" ? 400 : 60}
              value={told[k]}
              aria-label={label}
              onChange={(e) => setTold({ ...told, [k]: e.target.value })}
              onPressEnter={() => void keep()}
            />
          </label>
        ))}
      </div>
    </Modal>
  );
}

function Tile({ slot, project, placing }: { slot: SlotView; project: string; placing?: Placing }) {
  const { set, remove } = useShelf(project);
  const [media, setMedia] = useState<MediaView | null>(null);
  const [naming, setNaming] = useState(false);
  const current = slot.versions.find((v) => v.number === slot.current);
  const drag = (e: DragEvent) => {
    e.dataTransfer.setData(SLOT_DRAG, slot.key);
    e.dataTransfer.effectAllowed = "copy";
  };
  const rename = (name: string) => {
    setNaming(false);
    if (name.trim() && name.trim() !== slot.name) void set(slot, { name: name.trim() });
  };
  return (
    <article className="slot" draggable={!!placing} onDragStart={drag} data-testid={`slot-${slot.key}`}>
      <Tooltip title="Drop a file here, or click, for a new version">
        <div className="slot-picture">
          <Upload title={`New version of ${slot.name}`} onMedia={setMedia}>
            {current && <ArtworkPicture artwork={current.artwork} />}
          </Upload>
        </div>
      </Tooltip>
      <div className="row apart">
        {naming ? (
          <Input
            size="small"
            autoFocus
            defaultValue={slot.name}
            maxLength={120}
            aria-label="name of the slot"
            onPressEnter={(e) => rename(e.currentTarget.value)}
            onBlur={(e) => rename(e.currentTarget.value)}
          />
        ) : (
          <b className="ellipsis">{slot.name}</b>
        )}
        <Dropdown
          trigger={["click"]}
          menu={{
            items: [
              { key: "rename", label: "Rename" },
              { key: "remove", label: "Take off the shelf", disabled: slot.used.length > 0 },
            ],
            onClick: ({ key }) => (key === "rename" ? setNaming(true) : void remove(slot)),
          }}
        >
          <Button size="small" type="text" aria-label={`more about ${slot.name}`}>
            More
          </Button>
        </Dropdown>
      </div>
      <div className="chips" role="group" aria-label={`versions of ${slot.name}`}>
        {slot.versions.map((v) => (
          <Tooltip
            key={v.number}
            title={[
              v.revision && `revision ${v.revision}`,
              v.language,
              v.note,
              timeText(v.created),
              v.number === slot.current ? "shown now" : "click to show it",
            ]
              .filter(Boolean)
              .join(", ")}
          >
            <button
              className={`chip ${v.number === slot.current ? "on" : ""}`}
              aria-pressed={v.number === slot.current}
              onClick={() => void set(slot, { current: v.number })}
              data-testid={`version-${slot.key}-${v.number}`}
            >
              {v.number}
              {v.language && ` ${v.language}`}
            </button>
          </Tooltip>
        ))}
      </div>
      <span className="quiet small">{useText(slot)}</span>
      {placing && (
        <Button size="small" onClick={() => placing.place(slot)} data-testid={`place-${slot.key}`}>
          {placing.label}
        </Button>
      )}
      {media && <NewVersion slot={slot} media={media} project={project} close={() => setMedia(null)} />}
    </article>
  );
}

export function Shelf({ project, open, close, placing }: { project: string; open: boolean; close: () => void; placing?: Placing }) {
  const slots = useSlots(project, open).data ?? [];
  const { make } = useShelf(project);
  return (
    <Drawer title="Shelf" placement="left" open={open} onClose={close} width={placing ? 372 : 520} mask={!placing}>
      <div className="rows" data-testid="shelf">
        <Upload
          title="Drop artwork here for a new slot, or click"
          hint="Shots show slots: a new version is in all of them at once"
          onMedia={(m) => void make(m.name.replace(/\.[^.]+$/, ""), fileArtwork(m.hash))}
        />
        {slots.length === 0 && <Empty description="Nothing on the shelf yet." />}
        <div className="slots">
          {slots.map((x) => (
            <Tile key={x.key} slot={x} project={project} placing={placing} />
          ))}
        </div>
      </div>
    </Drawer>
  );
}
