/** One thin lane for each placement under the ruler: when it is seen, and how it runs against the plate. */
import { type PointerEvent, useState } from "react";
import type { Edit, MediaView, Placement } from "../../api/client";
import { rateNumber } from "../../ui/format";
import { hexOf, mediaOf } from "../../shelf/artwork";
import { useWork } from "../context";
import { type Length, laneOf, spanDragged } from "../model/lane";
import { placementName } from "../model/placing";
import { setBench } from "../state";
import { usePlacing } from "../steps/place/usePlacing";
import { frameAt, LABEL, type Range, RULER, xOf } from "./layout";

const MOST = 3;

/** Height of a lane, px: three leave the bars below their room. */
export const laneHeight = (lanes: number): number => (lanes < MOST ? 12 : 8);

/** Frames and rate of what is placed; null where it stands still. */
export function lengthOf(p: Placement, media: Record<string, MediaView>, plate: number): Length | null {
  const a = p.artwork;
  if (a.kind === "order") return { frames: a.items.reduce((sum, i) => sum + i.frames, 0), rate: plate };
  const facts = mediaOf(a).map((m) => media[m]?.facts);
  const frames = Math.max(1, ...facts.map((f) => f?.frame_count ?? 1));
  return a.kind === "file" && frames > 1 ? { frames, rate: facts[0]?.rate ? rateNumber(facts[0].rate) : null } : null;
}

/** What has a lane: the placements of the surface, nearest first, the chosen one among them. */
export function useLanes(shown: boolean): Placement[] {
  const { stack, chosen } = usePlacing();
  if (!shown) return [];
  const first = stack.slice(0, MOST);
  return chosen && !first.includes(chosen) ? [...first.slice(0, MOST - 1), chosen] : first;
}

type Held = { id: string; what: "first" | "last" | "body"; from: number; to: number };

export function TimeLanes({ lanes, range, width }: { lanes: Placement[]; range: Range; width: number }) {
  const { shot, rate, count, firstFrame, edit } = useWork();
  const { chosen } = usePlacing();
  const [held, setHeld] = useState<Held | null>(null);
  const left = (f: number) => xOf(f, range, width) - (width - LABEL - 4) / (range.last - range.first + 1) / 2;
  const frameOf = (e: PointerEvent) => frameAt(e.clientX - (e.currentTarget.closest("svg")?.getBoundingClientRect().left ?? 0), range, width);
  const moved = (p: Placement): Placement => {
    if (held?.id !== p.id) return p;
    if (held.what !== "body") return { ...p, span: spanDragged(p, held.what, held.to, count) };
    const length = lengthOf(p, shot.media, rate);
    const speed = p.time.rate === "own" && length?.rate ? length.rate / rate : 1;
    return { ...p, time: { ...p.time, offset: Math.round((p.time.offset - (held.to - held.from) * speed) * 1000) / 1000 } };
  };
  const grab = (p: Placement, what: Held["what"]) => (e: PointerEvent) => {
    e.currentTarget.setPointerCapture(e.pointerId);
    setBench({ placement: p.id });
    const at = frameOf(e);
    setHeld({ id: p.id, what, from: at, to: at });
  };
  const drag = (e: PointerEvent) => held && setHeld({ ...held, to: frameOf(e) });
  const drop = (p: Placement) => () => {
    const next = moved(p);
    if (held && held.from !== held.to) void edit({ kind: "set_placement", placement: next } as Edit).then(() => setHeld(null));
    else setHeld(null);
  };
  return (
    <svg className="lanes" style={{ top: RULER }} width={width} height={lanes.length * laneHeight(lanes.length)} data-testid="lanes">
      {lanes.map((p, row) => {
        const now = moved(p);
        const length = lengthOf(now, shot.media, rate);
        const lane = laneOf(now, length, rate, count);
        const y = row * laneHeight(lanes.length) + 1;
        const h = laneHeight(lanes.length) - 2;
        const [x0, x1] = [Math.max(LABEL, left(lane.first)), Math.min(width, left(lane.last + 1))];
        const hand = (what: Held["what"]) => ({
          onPointerDown: grab(p, what),
          onPointerMove: drag,
          onPointerUp: drop(p),
          onPointerCancel: () => setHeld(null),
        });
        const items = now.artwork.kind === "order" ? now.artwork.items : [];
        const movable = length !== null && now.time.retime.length === 0;
        const told = `${placementName(p, shot.media)}: frames ${lane.first + firstFrame} to ${lane.last + firstFrame}${lane.again.length ? `, begins again at ${lane.again.map((f) => f + firstFrame).join(", ")}` : ""}`;
        return (
          <g key={p.id} data-testid={`lane-${p.id}`} data-first={lane.first} data-last={lane.last}>
            {x1 > x0 && (
              <rect
                x={x0}
                y={y}
                width={x1 - x0}
                height={h}
                rx={2}
                fill={p.id === chosen?.id ? "#2f5d53" : "#33403c"}
                stroke={p.id === chosen?.id ? "#62b5a3" : "#4a5050"}
                style={{ cursor: movable ? "grab" : "default" }}
                {...(movable ? hand("body") : { onPointerDown: () => setBench({ placement: p.id }) })}
                data-testid={`lane-body-${p.id}`}
              >
                <title>{told}</title>
              </rect>
            )}
            {lane.blocks.map((b, i) => {
              const [a, z] = [Math.max(LABEL, left(b.frame)), Math.min(width, left(lane.blocks[i + 1]?.frame ?? lane.last + 1))];
              const art = items[b.item]?.artwork;
              return (
                z > a && (
                  <rect
                    key={b.frame}
                    x={a + 0.5}
                    y={y + 1}
                    width={Math.max(0, z - a - 1)}
                    height={h - 2}
                    fill={art?.kind === "colour" ? hexOf(art.rgb) : b.item % 2 ? "#8a6a4c" : "#4f8578"}
                    pointerEvents="none"
                  />
                )
              );
            })}
            {lane.holds !== null && left(lane.holds) < width && (
              <rect
                x={Math.max(LABEL, left(lane.holds))}
                y={y + h / 2 - 0.75}
                width={Math.max(0, x1 - Math.max(LABEL, left(lane.holds)))}
                height={1.5}
                fill="#f4ecda"
                pointerEvents="none"
              />
            )}
            {lane.ticks.map(
              (f) =>
                left(f) > LABEL && left(f) < width && <rect key={f} x={left(f) - 0.5} y={y + h - 4} width={1} height={4} fill="#c9cec9" pointerEvents="none" />,
            )}
            {lane.again.map(
              (f) =>
                left(f) > LABEL &&
                left(f) < width && (
                  <path
                    key={f}
                    d={`M${left(f) - 3} ${y}L${left(f) + 3} ${y + h / 2}L${left(f) - 3} ${y + h}`}
                    fill="none"
                    stroke="#f4ecda"
                    strokeWidth={1.4}
                    pointerEvents="none"
                  />
                ),
            )}
            {x1 > x0 &&
              (["first", "last"] as const).map((end) => {
                const x = end === "first" ? x0 : x1;
                return (
                  <g key={end} style={{ cursor: "ew-resize" }} {...hand(end)} data-testid={`lane-${end}-${p.id}`}>
                    <rect x={x - 5} y={y - 1} width={10} height={h + 2} fill="transparent" />
                    <rect x={x - 1.25} y={y - 1} width={2.5} height={h + 2} fill="#f4ecda" />
                    <title>{end === "first" ? "Drag: seen from" : "Drag: seen until"}</title>
                  </g>
                );
              })}
          </g>
        );
      })}
    </svg>
  );
}
