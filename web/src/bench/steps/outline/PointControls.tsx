/** Single points: another way to follow a surface, and what each of them may do. */
import { Button, InputNumber, Segmented, Select, Tooltip } from "antd";
import { useWork } from "../../context";
import { at } from "../../model/geometry";
import { keyBeside } from "../../model/keyed";
import { placeInside, type TrackPoint, withoutMarkKey } from "../../model/marks";
import { goTo, setBench, useBench, useCalmFrame } from "../../state";
import { useTracking } from "../../useTracking";
import { setMarks, useMarks } from "../../viewer/useMarks";
import { MOTIONS } from "../motions";
import { Field, Note } from "../parts";
import { ToolButton } from "./ToolButton";

const AGAINST = [
  { value: "first", label: "its first frame" },
  { value: "previous", label: "the frame before" },
  { value: "by_hand", label: "nearest frame set by hand" },
];
const SAID = { by_hand: "set here", followed: "found", carried: "carried", lost: "not found", unknown: "not looked for" };

function Beyond({ point, half }: { point: TrackPoint; half: [number, number] }) {
  const { surface } = useWork();
  const { move } = useMarks();
  const frame = useCalmFrame();
  const key = point.keys.find((k) => k.frame === frame);
  if (!surface?.corners || frame !== surface.reference_frame || !key) return null;
  const to = placeInside({ x: key.at[0], y: key.at[1] }, half, surface.corners.map(at));
  if (!to) return null;
  return (
    <div className="rows" data-testid="beyond">
      <Note tone="warn">
        The pattern reaches beyond the surface: what lies behind may move otherwise and take the point along. Further inside it is safe; the corners stay where
        they are, the plane carries them.
      </Note>
      <Button size="small" data-testid="move-inside" onClick={() => move(point.id, to)}>
        Move it inside
      </Button>
    </div>
  );
}

export function PointControls() {
  const { surface, edit, count, take } = useWork();
  const { followPoint, job } = useTracking();
  const { marks, change, remove, resize } = useMarks();
  const selection = useBench((s) => s.selection);
  const frame = useCalmFrame();
  if (!surface) return null;
  const chosen = selection?.kind === "mark" ? surface.points.find((p) => p.id === selection.id) : undefined;
  const mark = marks.find((m) => m.id === chosen?.id);
  const drives = ["", "position", "position, turn and size", "with shear", "full perspective"][Math.min(4, surface.points.length)];
  const frames = chosen?.keys.map((k) => k.frame) ?? [];
  const sizes = (what: "half_size_px" | "search_px", now: [number, number], label: string, hint: string) => (
    <Field label={label} hint={hint}>
      <span className="row">
        {([0, 1] as const).map((i) => (
          <InputNumber
            key={i}
            size="small"
            style={{ width: 66 }}
            min={4}
            max={800}
            step={1}
            value={Math.round(now[i] * 10) / 10}
            aria-label={`${label.toLowerCase()} ${i ? "height" : "width"}`}
            onChange={(v) => v !== null && chosen && resize(chosen.id, what, i ? [now[0], v] : [v, now[1]])}
          />
        ))}
      </span>
    </Field>
  );
  return (
    <div className="rows">
      <div className="row apart">
        <ToolButton tool="point" label="Set a point" hint="Click something small and distinct on the surface: Q" />
        <Tooltip title={surface.points.length ? "What the surface is followed by" : "Set a point first"}>
          <Segmented
            size="small"
            value={surface.follow}
            disabled={surface.points.length === 0}
            data-testid="follow-by"
            options={[
              { value: "region", label: "region" },
              { value: "points", label: "points" },
            ]}
            onChange={(v) => void edit(setMarks(surface, surface.points, v as "region" | "points"))}
          />
        </Tooltip>
      </div>
      {surface.points.length === 0 && (
        <Note>For a surface with nothing but a few marks. One point drives position, two add turn and size, three shear, four perspective.</Note>
      )}
      {surface.points.length > 0 && (
        <Note>
          {surface.points.length} {surface.points.length === 1 ? "point drives" : "points drive"} {drives}.
          {surface.points.length > 4 ? " What disagrees is left out." : ""}
        </Note>
      )}
      {marks.length > 0 && (
        <div className="looks" data-testid="mark-list">
          {marks.map((m) => (
            <button key={m.id} className={`plain look ${m.id === chosen?.id ? "on" : ""}`} onClick={() => setBench({ selection: { kind: "mark", id: m.id } })}>
              <span className="mono">{m.id}</span>
              <span className="quiet small">
                {SAID[m.status]}
                {m.sigma === null ? "" : `, ${m.sigma.toFixed(2)} px`}
              </span>
            </button>
          ))}
        </div>
      )}
      {chosen && mark && (
        <>
          <Beyond point={chosen} half={mark.half} />
          <Field label="Compared with" hint="Which picture of the point is looked for in each frame">
            <Select
              size="small"
              style={{ width: 150 }}
              value={chosen.against}
              options={AGAINST}
              aria-label="matched with"
              onChange={(against) => change(chosen.id, { against: against as typeof chosen.against })}
            />
          </Field>
          <Field label="Pattern may" hint="How the pattern itself may change, for example turn with the surface">
            <Select
              size="small"
              style={{ width: 150 }}
              value={chosen.motion}
              options={MOTIONS}
              aria-label="motion of the pattern"
              onChange={(motion) => change(chosen.id, { motion: motion as typeof chosen.motion })}
            />
          </Field>
          {sizes("half_size_px", mark.half, "Pattern", "Half its width and height, px; from this frame on")}
          {sizes("search_px", mark.search, "Looked for", "How far to either side, px; from this frame on")}
          {take && surface.follow === "points" && (
            <Field label="This point only" hint="Follows this point again by itself; the others stay as they are. A new take, the old one is kept">
              <span className="row">
                <Tooltip title="From this frame back to the start">
                  <Button size="small" disabled={!!job} aria-label="follow only this point back" onClick={() => void followPoint(chosen.id, [0, frame], frame)}>
                    ‹
                  </Button>
                </Tooltip>
                <Tooltip title="At all frames">
                  <Button size="small" disabled={!!job} data-testid="follow-point" onClick={() => void followPoint(chosen.id, null, frame)}>
                    all
                  </Button>
                </Tooltip>
                <Tooltip title="From this frame on to the end">
                  <Button
                    size="small"
                    disabled={!!job}
                    aria-label="follow only this point on"
                    onClick={() => void followPoint(chosen.id, [frame, count - 1], frame)}
                  >
                    ›
                  </Button>
                </Tooltip>
              </span>
            </Field>
          )}
          <div className="row apart">
            <span className="row">
              <Tooltip title="Key before: [">
                <Button
                  size="small"
                  disabled={keyBeside(frames, frame, -1) === null}
                  aria-label="point's key before"
                  onClick={() => goTo(keyBeside(frames, frame, -1) ?? frame, count)}
                >
                  ‹
                </Button>
              </Tooltip>
              <span className="mono">
                {frames.length}
                {frames.includes(frame) ? ", one here" : ""}
              </span>
              <Tooltip title="Key after: ]">
                <Button
                  size="small"
                  disabled={keyBeside(frames, frame, 1) === null}
                  aria-label="point's key after"
                  onClick={() => goTo(keyBeside(frames, frame, 1) ?? frame, count)}
                >
                  ›
                </Button>
              </Tooltip>
              <Button size="small" disabled={!frames.includes(frame) || frames.length < 2} onClick={() => change(chosen.id, withoutMarkKey(chosen, frame))}>
                Delete key
              </Button>
            </span>
            <Tooltip title="Delete">
              <Button
                size="small"
                onClick={() => {
                  remove(chosen.id);
                  setBench({ selection: null });
                }}
              >
                Remove
              </Button>
            </Tooltip>
          </div>
        </>
      )}
    </div>
  );
}
