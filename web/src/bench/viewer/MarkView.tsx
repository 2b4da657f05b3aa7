/** A single point over the picture: open brackets for its pattern, corner ticks for how far it is looked for. */
import type { PointerEvent } from "react";
import type { PlatePoint, ScreenPoint } from "../model/geometry";
import type { Mark } from "../model/marks";
import type { Grab } from "./grab";

type Props = {
  mark: Mark;
  toScreen: (p: PlatePoint) => ScreenPoint;
  chosen: boolean;
  movable: boolean;
  onGrab: (e: PointerEvent, grab: Grab) => void;
};

const SAID = { by_hand: "set by hand here", followed: "found", carried: "carried by the others", lost: "not found here", unknown: "not looked for yet" };

export function MarkView({ mark, toScreen, chosen, movable, onGrab }: Props) {
  const c = toScreen(mark.at);
  const corner = (size: [number, number]) => {
    const p = toScreen({ x: mark.at.x + size[0], y: mark.at.y + size[1] });
    return { w: p.x - c.x, h: p.y - c.y };
  };
  const half = corner(mark.half);
  const search = corner([mark.half[0] + mark.search[0], mark.half[1] + mark.search[1]]);
  const lip = Math.min(6, half.w * 0.6);
  const brackets =
    `M${c.x - half.w + lip} ${c.y - half.h}H${c.x - half.w}V${c.y + half.h}h${lip}` +
    `M${c.x + half.w - lip} ${c.y - half.h}H${c.x + half.w}V${c.y + half.h}h${-lip}`;
  const tick = 7;
  const ticks = [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ]
    .map(([sx = 0, sy = 0]) => `M${c.x + sx * search.w - sx * tick} ${c.y + sy * search.h}H${c.x + sx * search.w}v${-sy * tick}`)
    .join("");
  const ink = chosen ? "#f4ecda" : "#62b5a3";
  const grabbed = (what: "at" | "half_size_px" | "search_px") => (movable ? (e: PointerEvent) => onGrab(e, { kind: "mark", id: mark.id, what }) : undefined);
  const dash = mark.status === "lost" || mark.status === "unknown" ? "2 3" : undefined;
  return (
    <g data-testid={`mark-${mark.id}`} data-status={mark.status}>
      <path d={brackets} fill="none" stroke="#121414" strokeOpacity={0.6} strokeWidth={3.4} pointerEvents="none" />
      <path d={brackets} fill="none" stroke={ink} strokeWidth={1.6} strokeDasharray={dash} pointerEvents="none" />
      <path d={`M${c.x - 3} ${c.y}h6M${c.x} ${c.y - 3}v6`} stroke={ink} strokeWidth={1.4} pointerEvents="none" />
      <text x={c.x + half.w + 5} y={c.y - half.h + 4} className="tag" pointerEvents="none">
        {mark.id}
      </text>
      <rect
        x={c.x - half.w + 2}
        y={c.y - half.h + 2}
        width={Math.max(4, 2 * half.w - 4)}
        height={Math.max(4, 2 * half.h - 4)}
        fill="transparent"
        style={{ cursor: movable ? "grab" : "default" }}
        onPointerDown={grabbed("at")}
      >
        <title>{`${mark.id}: ${SAID[mark.status]}${mark.sigma === null ? "" : `, doubt ${mark.sigma.toFixed(2)} px`}`}</title>
      </rect>
      {chosen && movable && (
        <>
          <path d={ticks} fill="none" stroke="#121414" strokeOpacity={0.6} strokeWidth={3} pointerEvents="none" />
          <path d={ticks} fill="none" stroke={ink} strokeWidth={1.3} pointerEvents="none" />
          <rect
            x={c.x + half.w - 6}
            y={c.y + half.h - 6}
            width={12}
            height={12}
            fill="transparent"
            style={{ cursor: "nwse-resize" }}
            onPointerDown={grabbed("half_size_px")}
            data-testid="mark-pattern"
          >
            <title>Drag to change the pattern</title>
          </rect>
          <rect
            x={c.x + search.w - 9}
            y={c.y + search.h - 9}
            width={16}
            height={16}
            fill="transparent"
            style={{ cursor: "nwse-resize" }}
            onPointerDown={grabbed("search_px")}
            data-testid="mark-search"
          >
            <title>Drag to change how far it is looked for</title>
          </rect>
        </>
      )}
    </g>
  );
}
