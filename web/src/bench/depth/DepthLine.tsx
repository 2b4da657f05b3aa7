/** Everything in the shot from the camera to the far end: order is distance, drag to reorder. */
import { Button, Dropdown, Tooltip } from "antd";
import { type DragEvent, useEffect, useRef, useState } from "react";
import type { Edit, Surface } from "../../api/client";
import { useWork } from "../context";
import { SLOT_DRAG } from "../../shelf/useShelf";
import { usePlacing } from "../steps/place/usePlacing";
import { depthOrder, freshId } from "../model/shot";
import { setBench, useCalmFrame } from "../state";

function rangeText(work: ReturnType<typeof useWork>, surface: Surface): string {
  const take = work.shot.takes.find((t) => t.id === surface.take);
  if (!take) return "not tracked";
  // Frames arrive one by one; the take's own figures are read less often.
  if (take.running) return `following, ${[...(work.framesOf(surface)?.values() ?? [])].filter((f) => f.status !== "lost").length} of ${work.count}`;
  return take.stale ? `${take.followed} of ${work.count}, changed since` : `followed, ${take.followed} of ${work.count}`;
}

export function newSurface(work: ReturnType<typeof useWork>, frame: number): Edit {
  const taken = [...work.document.surfaces, ...work.document.occluders].map((x) => x.id);
  const n = work.document.surfaces.length + 1;
  const depth = Math.max(0, ...work.document.surfaces.map((s) => s.depth), ...work.document.occluders.map((o) => o.depth)) + 1;
  const surface = {
    id: freshId("surface", taken),
    name: n === 1 ? "Surface" : `Surface ${n}`,
    depth,
    reference_frame: frame,
    motion: "perspective" as const,
    region: { include: [], exclude: [] },
    corrections: [],
    reach_frames: 12,
  };
  // What is left out here has its default in the document.
  return { kind: "add_surface", surface } as unknown as Edit;
}

export function DepthLine() {
  const work = useWork();
  const { document, edit, surface, firstFrame } = work;
  const frame = useCalmFrame();
  const { addSlot } = usePlacing();
  const [held, setHeld] = useState<string | null>(null);
  const order = depthOrder(document);
  const tiles = useRef<HTMLDivElement>(null);
  // With many tiles some lie beyond the edge: the one that is worked on must not.
  useEffect(() => {
    const chosen = tiles.current?.querySelector(".tile.chosen");
    if (chosen && typeof chosen.scrollIntoView === "function") chosen.scrollIntoView({ block: "nearest", inline: "nearest" });
  }, [surface?.id, order.length]);

  const drop = (e: DragEvent, target: string) => {
    e.preventDefault();
    const slot = e.dataTransfer.getData(SLOT_DRAG);
    if (slot && document.surfaces.some((x) => x.id === target && x.corners)) {
      setBench({ step: "place", surface: target });
      addSlot(slot, target);
    }
    if (!held || held === target) return;
    const ids = order.map((x) => x.id).filter((id) => id !== held);
    const r = e.currentTarget.getBoundingClientRect();
    ids.splice(ids.indexOf(target) + (e.clientX > r.left + r.width / 2 ? 1 : 0), 0, held);
    void edit({ kind: "set_depth_order", near_to_far: ids });
    setHeld(null);
  };
  /** Choose what is in front: at this frame, or where it is there at all. */
  const choose = (id: string) => {
    const o = document.occluders.find((x) => x.id === id);
    if (!o) return;
    const there = !o.span || (frame >= o.span[0] && frame <= o.span[1]);
    const indices = o.keys[0]?.points.map((_, i) => i) ?? [];
    setBench({
      step: "outline",
      tool: "move",
      selection: { kind: "points", shape: `occluder:${id}`, indices },
      ...(there ? {} : { frame: o.keys[0]?.frame ?? o.span?.[0] ?? frame }),
    });
  };
  const spanText = (id: string) => {
    const span = document.occluders.find((o) => o.id === id)?.span;
    return span ? `frames ${span[0] + firstFrame}-${span[1] + firstFrame}` : "whole shot";
  };

  return (
    <div className="depth" data-testid="depth-line">
      <Tooltip title="The camera: what stands left is nearer and takes its area away from what stands right">
        <svg width="26" height="20" role="img" aria-label="camera">
          <path d="M2 5h14v10H2zM16 8l7-4v12l-7-4z" fill="none" stroke="#a3aba6" strokeWidth="1.5" />
        </svg>
      </Tooltip>
      <div ref={tiles} className={order.length > 3 ? "depth-tiles many" : "depth-tiles"}>
        {order.map((item, i) => {
          const own = document.surfaces.find((s) => s.id === item.id);
          return (
            <div key={item.id} className="row">
              {i > 0 && <span className="quiet">›</span>}
              <button
                draggable
                className={`tile ${surface?.id === item.id ? "chosen" : ""}`}
                data-testid={`tile-${item.id}`}
                title={`${item.name}: drag to change its distance from the camera`}
                onDragStart={() => setHeld(item.id)}
                onDragOver={(e) => e.preventDefault()}
                onDrop={(e) => drop(e, item.id)}
                onClick={() => (own ? setBench({ surface: item.id }) : choose(item.id))}
              >
                <span className={`swatch ${item.kind}`} />
                <span>
                  {item.name}
                  <i className="quiet small">{own ? rangeText(work, own) : spanText(item.id)}</i>
                </span>
              </button>
            </div>
          );
        })}
      </div>
      <Dropdown
        menu={{
          items: [
            { key: "surface", label: "Surface, to be followed" },
            { key: "occluder", label: "Outline of something in front" },
          ],
          onClick: ({ key }) => {
            setBench({ step: "outline" });
            if (key === "surface") {
              const one = newSurface(work, frame);
              void edit(one).then((ok) => ok && one.kind === "add_surface" && setBench({ surface: one.surface.id }));
            } else setBench({ tool: "occluder" });
          },
        }}
      >
        <Button>Add</Button>
      </Dropdown>
    </div>
  );
}
