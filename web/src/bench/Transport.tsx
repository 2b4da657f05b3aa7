/** Playing, what is shown, the wipe, overlays and zoom. */
import { Button, Segmented, Select, Tooltip } from "antd";
import { useWork } from "./context";
import { HELD } from "./held";
import { chosenMatte } from "./model/matte";
import type { Shown } from "./model/views";
import { goTo, setBench, useBenchParts } from "./state";

export function setView(view: { zoom: number; panX: number; panY: number } | null): void {
  window.dispatchEvent(new CustomEvent("bench-view", { detail: view }));
}

export function Transport() {
  const { count, firstFrame, document, surface, take } = useWork();
  const {
    frame,
    playing,
    shown,
    wipe,
    overlays,
    played,
    dropped,
    gathered,
    held,
    guide,
    step,
    matte: picked,
  } = useBenchParts("frame", "playing", "shown", "wipe", "overlays", "played", "dropped", "gathered", "held", "guide", "step", "matte");
  const matte = chosenMatte(document.mattes, picked, surface?.id);
  const placed = document.placements.length > 0;
  return (
    <div className="transport" data-testid="transport" data-played={played} data-dropped={dropped}>
      <Tooltip title="Play and pause: Space. J backwards, K pause, L forwards">
        <Button onClick={() => setBench({ playing: playing === 0 ? 1 : 0 })} data-testid="play" aria-label={playing === 0 ? "play" : "pause"}>
          <svg width="11" height="12" aria-hidden>
            {playing === 0 ? <path d="M1 0L11 6L1 12Z" fill="currentColor" /> : <path d="M1 0h3.4v12H1zM6.6 0H10v12H6.6z" fill="currentColor" />}
          </svg>
        </Button>
      </Tooltip>
      <Tooltip title="One frame back: left arrow; ten with Shift">
        <Button type="text" size="small" onClick={() => goTo(frame - 1, count)} aria-label="one frame back">
          ‹
        </Button>
      </Tooltip>
      <span className="mono now" data-testid="frame-number">
        {frame + firstFrame}
      </span>
      <Tooltip title="One frame on: right arrow; ten with Shift">
        <Button type="text" size="small" onClick={() => goTo(frame + 1, count)} aria-label="one frame on">
          ›
        </Button>
      </Tooltip>
      <Segmented
        size="small"
        value={wipe !== null ? "wipe" : shown}
        data-testid="shown"
        onChange={(v) => (v === "wipe" ? setBench({ wipe: 0.5, shown: "result" }) : setBench({ wipe: null, shown: v as Shown }))}
        options={[
          { value: "plate", label: <Tooltip title="The plate; hold C to see it from any view">Plate</Tooltip> },
          { value: "result", label: <Tooltip title={placed ? "The plate with everything pinned" : "Place artwork first"}>Result</Tooltip>, disabled: !placed },
          ...(step === "mask"
            ? [
                { value: "alone", label: <Tooltip title={matte ? "The matte: white is in front" : "Make a matte first"}>Matte</Tooltip>, disabled: !matte },
                {
                  value: "over",
                  label: <Tooltip title={matte ? "What is in front, tinted and striped over the plate" : "Make a matte first"}>Over plate</Tooltip>,
                  disabled: !matte,
                },
                {
                  value: "zones",
                  label: (
                    <Tooltip title={matte ? "Solid core striped, edge bright from copper to ivory, what is clear dark" : "Make a matte first"}>
                      Core, edge
                    </Tooltip>
                  ),
                  disabled: !matte,
                },
                {
                  value: "cut",
                  label: <Tooltip title={matte ? "What is in front, cut out over grey" : "Make a matte first"}>Cut out</Tooltip>,
                  disabled: !matte,
                },
              ]
            : step === "match" || step === "handover"
              ? [
                  {
                    value: "difference",
                    label: (
                      <Tooltip title={placed ? "Result minus plate, four times as much, around grey: what is grey was not touched" : "Place artwork first"}>
                        Difference
                      </Tooltip>
                    ),
                    disabled: !placed,
                  },
                ]
              : [
                  {
                    value: "analysis",
                    label: <Tooltip title={surface?.corners ? "What the tracker looks at; set up in Track" : "Place the corners first"}>Analysis</Tooltip>,
                    disabled: !surface?.corners,
                  },
                  {
                    value: "coverage",
                    label: <Tooltip title="Which pixels are compared here: filled. Striped: covered by something nearer. Dotted: cut out">Coverage</Tooltip>,
                    disabled: !surface?.corners,
                  },
                ]),
          {
            value: "still",
            label: (
              <Tooltip title={take ? "The plate moved so that the surface stays still: what drifts, slips" : "Track the surface first"}>Held still</Tooltip>
            ),
            disabled: !take,
          },
          ...(shown === "straight"
            ? [{ value: "straight", label: <Tooltip title="The whole frame without the lens's distortion; set up in Outline, Lens">Corrected</Tooltip> }]
            : []),
          {
            value: "wipe",
            label: <Tooltip title={placed ? "Result left, plate right; drag the line" : "Place artwork first"}>Wipe</Tooltip>,
            disabled: !placed,
          },
        ]}
      />
      {shown === "still" && wipe === null && (
        <Select size="small" value={held} options={HELD} aria-label="how it is held still" style={{ width: 90 }} onChange={(v) => setBench({ held: v })} />
      )}
      {shown === "still" && wipe === null && (
        <Select
          size="small"
          value={guide}
          aria-label="what it is judged by"
          style={{ width: 94 }}
          onChange={(v) => setBench({ guide: v })}
          options={[
            { value: "none", label: "no guide" },
            { value: "grid", label: "grid", title: "A grid that stands still: what moves against it, slips" },
            { value: "chart", label: "stand-in", title: "A chart where the track says the surface is: what moves under it, slips" },
          ]}
        />
      )}
      <span className="grow" />
      {gathered !== null && <span className="mono quiet">gathering {Math.round(100 * gathered)} %</span>}
      {playing !== 0 && gathered === null && (
        <span className="mono quiet">
          {dropped} of {played + dropped} dropped
        </span>
      )}
      {(shown !== "still" || wipe !== null) && (
        <Tooltip title="Show or hide shapes and corners: O">
          <Button size="small" type={overlays ? "default" : "text"} onClick={() => setBench({ overlays: !overlays })}>
            Overlays
          </Button>
        </Tooltip>
      )}
      <Tooltip title="Show the whole picture">
        <Button size="small" type="text" onClick={() => setView(null)}>
          Fit
        </Button>
      </Tooltip>
    </div>
  );
}
