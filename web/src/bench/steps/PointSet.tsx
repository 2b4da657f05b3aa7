/** The set of a surface's points: figures of each, filters, and what becomes of those chosen. */
import { useQuery } from "@tanstack/react-query";
import { Button, InputNumber, Table, Tooltip } from "antd";
import { useState } from "react";
import { api, data, type PointFiguresView } from "../../api/client";
import { useWork } from "../context";
import { beyond, driving, type Filter, within } from "../model/pointSet";
import { goTo, setBench, useBench } from "../state";
import { useTracking } from "../useTracking";
import { setMarks } from "../viewer/useMarks";
import { Note } from "./parts";

const FILTERS: { id: keyof Filter; label: string; hint: string; suffix: string; step: number }[] = [
  { id: "error", label: "Error above", hint: "Median distance from where the plane of all points puts it", suffix: "px", step: 0.1 },
  { id: "worst", label: "Worst above", hint: "Largest such distance at any frame", suffix: "px", step: 0.5 },
  { id: "acceleration", label: "Acceleration above", hint: "How much its speed changes from frame to frame", suffix: "px", step: 0.5 },
  { id: "seen", label: "Seen in fewer than", hint: "Frames in which it was found", suffix: "f", step: 5 },
];
const figure = (v: number | null, digits = 2) => (v === null ? "not known" : v.toFixed(digits));
const unknownPoint = (id: string): PointFiguresView => ({
  id,
  seen: 0,
  carried: 0,
  lost: 0,
  error_px: null,
  worst_px: null,
  worst_frame: null,
  speed_px: 0,
  acceleration_px: 0,
  sigma_px: null,
});

export function PointSet() {
  const { surface, take, edit, count, firstFrame } = useWork();
  const { start, job } = useTracking();
  const picked = useBench((s) => s.picked);
  const selection = useBench((s) => s.selection);
  const [filter, setFilter] = useState<Filter>({ error: null, worst: null, acceleration: null, seen: null });
  const [chosen, setChosen] = useState<string[]>([]);
  const found = useQuery({
    queryKey: ["point-figures", take?.id, take?.version],
    enabled: take !== null && !take.running && surface?.follow === "points",
    queryFn: async () => data<PointFiguresView[]>(await api.GET("/api/takes/{take_id}/point-figures", { params: { path: { take_id: take?.id ?? "" } } })),
  }).data;
  if (!surface || surface.follow !== "points" || !take) return null;
  const points = surface.points;
  const known = found?.length ? found : points.map((p) => unknownPoint(p.id));
  const rows = known.flatMap((f) => points.filter((p) => p.id === f.id).map((p) => ({ ...f, out: p.left_out, spans: p.used_spans })));
  const set = (next: typeof points) => void edit(setMarks(surface, next, next.length ? surface.follow : "region"));
  const sift = (change: Partial<Filter>) => {
    const next = { ...filter, ...change };
    setFilter(next);
    setChosen(beyond(rows, next));
  };
  return (
    <div className="rows" data-testid="point-set">
      <h2>Single points, worst first</h2>
      {!found?.length && (
        <Note>
          {take.running
            ? "The points are being followed."
            : "This take was followed by its region and knows nothing of the points. Track again to measure them."}
        </Note>
      )}
      {found?.length
        ? found.every((f) => f.error_px === null) && (
            <Note>These points are just enough to drive the plane: whether one of them is off is not known. One more would tell.</Note>
          )
        : null}
      {FILTERS.map((f) => (
        <div key={f.id} className="row apart">
          <Tooltip title={f.hint}>
            <span className="small">{f.label}</span>
          </Tooltip>
          <InputNumber
            size="small"
            style={{ width: 92 }}
            min={0}
            step={f.step}
            value={filter[f.id]}
            placeholder="any"
            suffix={f.suffix}
            aria-label={f.label.toLowerCase()}
            onChange={(v) => sift({ [f.id]: v })}
          />
        </div>
      ))}
      <Table
        size="small"
        rowKey="id"
        dataSource={rows}
        pagination={false}
        scroll={{ y: 190 }}
        rowSelection={{
          selectedRowKeys: chosen,
          onChange: (ids) => setChosen(ids.map(String)),
          columnWidth: 28,
          getCheckboxProps: (r) => ({ "aria-label": `choose ${r.id}` }),
        }}
        onRow={(r) => ({
          onClick: () => setBench({ selection: { kind: "mark", id: r.id } }),
          className: selection?.kind === "mark" && selection.id === r.id ? "row-on" : "",
        })}
        columns={[
          {
            title: "Point",
            dataIndex: "id",
            ellipsis: true,
            render: (id: string, r) => (
              <Tooltip title={`${r.seen} frames seen, ${r.carried} carried, ${r.lost} lost; doubt ${figure(r.sigma_px)} px`}>
                <span className={`mono ${r.out ? "quiet struck" : ""}`}>{id}</span>
              </Tooltip>
            ),
          },
          {
            title: "error",
            width: 74,
            align: "right",
            render: (_, r) => <span className={r.error_px === null ? "quiet small" : "mono"}>{figure(r.error_px)}</span>,
          },
          {
            title: "worst",
            width: 66,
            align: "right",
            render: (_, r) =>
              r.worst_frame === null ? (
                "-"
              ) : (
                <Tooltip title={`${figure(r.worst_px)} px; go there`}>
                  <button className="plain mono" onClick={() => goTo(r.worst_frame ?? 0, count)}>
                    {r.worst_frame + firstFrame}
                  </button>
                </Tooltip>
              ),
          },
          { title: "acc.", width: 56, align: "right", render: (_, r) => <span className="mono">{figure(r.acceleration_px)}</span> },
        ]}
      />
      <div className="row wrap">
        <Tooltip title="Those chosen are followed, but drive nothing">
          <Button size="small" disabled={!chosen.length} data-testid="points-out" onClick={() => set(driving(points, chosen, false))}>
            Leave out
          </Button>
        </Tooltip>
        <Tooltip title="Those chosen drive the plane again, at all frames">
          <Button size="small" disabled={!chosen.length} onClick={() => set(within(driving(points, chosen, true), chosen, null))}>
            Use again
          </Button>
        </Tooltip>
        <Tooltip title={picked ? "Those chosen are used at the picked frames only" : "Pick frames in a curve first"}>
          <Button size="small" disabled={!chosen.length || !picked} onClick={() => set(within(points, chosen, picked))}>
            Use at picked frames
          </Button>
        </Tooltip>
        <Tooltip title="Those chosen are deleted; Undo brings them back">
          <Button
            size="small"
            disabled={!chosen.length}
            onClick={() => {
              set(points.filter((p) => !chosen.includes(p.id)));
              setChosen([]);
            }}
          >
            Delete
          </Button>
        </Tooltip>
      </div>
      {take.stale && (
        <div className="row apart">
          <Note>The take was made with other points.</Note>
          <Button size="small" type="primary" disabled={!!job} onClick={() => void start("both")}>
            Track again
          </Button>
        </div>
      )}
    </div>
  );
}
