/** Follow a part again: this frame, from here, or the frames picked in the strip. The rest of the take is kept. */
import { Button, InputNumber, Tooltip } from "antd";
import { useWork } from "../context";
import { setBench, useBench, useCalmFrame } from "../state";
import { useTracking } from "../useTracking";
import { Field } from "./parts";

export function Again() {
  const { count, firstFrame } = useWork();
  const { again } = useTracking();
  const frame = useCalmFrame();
  const picked = useBench((s) => s.picked);
  const [first, last] = picked ?? [frame, frame];
  const pick = (a: number | null, b: number | null) => {
    if (a === null || b === null) return;
    const kept = (v: number) => Math.min(count - 1, Math.max(0, Math.round(v)));
    setBench({ picked: [kept(Math.min(a, b)), kept(Math.max(a, b))] });
  };
  return (
    <>
      <Field label="Again" hint="Follows frames once more, starting from their neighbours. All other frames stay, and so does the old take">
        <span className="row">
          <Tooltip title="From here back to the start: Shift+R">
            <Button size="small" onClick={() => void again([0, frame], "backwards")} aria-label="again, from here to start">
              ‹ to start
            </Button>
          </Tooltip>
          <Tooltip title="This frame alone: A">
            <Button size="small" onClick={() => void again([frame, frame])} data-testid="again-frame">
              this one
            </Button>
          </Tooltip>
          <Tooltip title="From here on to the end: R">
            <Button size="small" onClick={() => void again([frame, count - 1], "forwards")} aria-label="again, from here to end">
              to end ›
            </Button>
          </Tooltip>
        </span>
      </Field>
      <Field label="Picked" hint="Alt and a drag in the strip picks frames; so does a drag over curves">
        <span className="row">
          <InputNumber
            size="small"
            style={{ width: 62 }}
            value={first + firstFrame}
            min={firstFrame}
            max={firstFrame + count - 1}
            precision={0}
            aria-label="first frame picked"
            onChange={(v) => v !== null && pick(v - firstFrame, last)}
          />
          <InputNumber
            size="small"
            style={{ width: 62 }}
            value={last + firstFrame}
            min={firstFrame}
            max={firstFrame + count - 1}
            precision={0}
            aria-label="last frame picked"
            onChange={(v) => v !== null && pick(first, v - firstFrame)}
          />
          <Button size="small" disabled={!picked} data-testid="again-span" onClick={() => void again([first, last])}>
            Again
          </Button>
        </span>
      </Field>
    </>
  );
}
