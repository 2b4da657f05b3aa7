/** What to do with the frames picked in the strip, and what was done with spans before. */
import { Button, Tooltip } from "antd";
import type { Edit } from "../../api/client";
import { useWork } from "../context";
import { joined, without } from "../model/spans";
import { setBench, useBench } from "../state";
import { useTracking } from "../useTracking";

export function Picked() {
  const { surface, take, edit, count, firstFrame } = useWork();
  const { again, job } = useTracking();
  const picked = useBench((s) => s.picked);
  if (!surface || !take) return null;
  const mend = (change: { left_out?: [number, number][]; calmed?: typeof surface.calmed }) =>
    void edit({
      kind: "set_mending",
      surface: surface.id,
      smoothing: surface.smoothing,
      carry: surface.carry,
      left_out: surface.left_out,
      calmed: surface.calmed,
      ...change,
    } as Edit);
  const said = (a: number, b: number) => (a === b ? String(a + firstFrame) : `${a + firstFrame}-${b + firstFrame}`);
  return (
    <>
      {picked && (
        <div className="rows picked" data-testid="picked">
          <div className="row apart">
            <span>Frames {said(...picked)} are picked</span>
            <Button size="small" type="text" onClick={() => setBench({ picked: null })}>
              Drop
            </Button>
          </div>
          <div className="row wrap">
            <Tooltip title="Follow them once more, tied to those beside them">
              <Button size="small" disabled={!!job} onClick={() => void again(picked)}>
                Again
              </Button>
            </Tooltip>
            <Tooltip title="Smooth these frames alone; the calm fades in at both ends">
              <Button size="small" disabled={take.mended} onClick={() => mend({ calmed: [...surface.calmed, { span: picked, strength: 2 }] })}>
                Calm them
              </Button>
            </Tooltip>
            <Tooltip title="The track of these frames is not used; the take keeps it">
              <Button size="small" disabled={take.mended} data-testid="leave-out" onClick={() => mend({ left_out: joined([...surface.left_out, picked]) })}>
                Leave out
              </Button>
            </Tooltip>
            <Tooltip title="Only these frames of the track are used">
              <Button size="small" disabled={take.mended} onClick={() => mend({ left_out: joined(without([0, count - 1], picked)) })}>
                Keep only these
              </Button>
            </Tooltip>
          </div>
        </div>
      )}
      {surface.left_out.map(([a, b]) => (
        <div key={`out${a}`} className="row apart">
          <span className="quiet small">{said(a, b)} left out</span>
          <Button size="small" type="text" disabled={take.mended} onClick={() => mend({ left_out: surface.left_out.filter(([x]) => x !== a) })}>
            Use again
          </Button>
        </div>
      ))}
      {surface.calmed.map((c, i) => (
        <div key={`calm${i}`} className="row apart">
          <span className="quiet small">{said(...c.span)} calmed</span>
          <Button size="small" type="text" disabled={take.mended} onClick={() => mend({ calmed: surface.calmed.filter((_, k) => k !== i) })}>
            As followed
          </Button>
        </div>
      ))}
    </>
  );
}
