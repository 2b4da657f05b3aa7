/** The lens: lines that should be straight, or the track itself; its terms, its grid, the corrected frame. */
import { App, Button, InputNumber, Select, Switch, Tooltip } from "antd";
import { useState } from "react";
import { api, data, type Edit, type LensView, type Shot } from "../../../api/client";
import { useWork } from "../../context";
import { knowsLens } from "../../model/shot";
import { setBench, useBench } from "../../state";
import { Field, Note } from "../parts";
import { ToolButton } from "./ToolButton";

const MODES = [
  { value: "estimate", label: "found by itself" },
  { value: "given", label: "as said below" },
  { value: "none", label: "without distortion" },
];

export function LensControls() {
  const { shot, document, surface, take, edit } = useWork();
  const { notification } = App.useApp();
  const shown = useBench((s) => s.shown);
  const lensShown = useBench((s) => s.lens);
  const [busy, setBusy] = useState<"lines" | "track" | null>(null);
  const [found, setFound] = useState<LensView | null>(null);
  const { lens } = document;
  const set = (change: Partial<Shot["lens"]>) => void edit({ kind: "set_lens", lens: { ...lens, ...change } } as Edit);
  const ask = async (from: "lines" | "track") => {
    setBusy(from);
    try {
      const answer =
        from === "lines"
          ? await api.GET("/api/shots/{shot_id}/lens", { params: { path: { shot_id: shot.id } } })
          : await api.GET("/api/shots/{shot_id}/surfaces/{surface_id}/lens", { params: { path: { shot_id: shot.id, surface_id: surface?.id ?? "" } } });
      setFound(data<LensView>(answer));
    } catch (error) {
      notification.warning({ message: "No lens found", description: (error as Error).message, duration: 8 });
    }
    setBusy(null);
  };
  return (
    <div className="rows" data-testid="lens-controls">
      <Field label="Lens is" hint="Found by itself: from lines if any are drawn, else from the track, where it asks for one">
        <Select size="small" style={{ width: 160 }} value={lens.mode} options={MODES} aria-label="lens" onChange={(mode) => set({ mode })} />
      </Field>
      <div className="row wrap">
        <ToolButton tool="line" label="Draw a line" hint="Click three points or more along an edge that is straight in the world; Enter ends the line" />
        <Tooltip title={lens.lines.length ? "The lens that makes the drawn lines straight" : "Draw lines first"}>
          <Button size="small" disabled={lens.lines.length === 0} loading={busy === "lines"} onClick={() => void ask("lines")} data-testid="lens-from-lines">
            Solve from lines
          </Button>
        </Tooltip>
        <Tooltip title={take ? "The lens that makes the followed plane fit best; takes some seconds" : "Track the surface first"}>
          <Button size="small" disabled={!take} loading={busy === "track"} onClick={() => void ask("track")}>
            Solve from track
          </Button>
        </Tooltip>
      </div>
      {lens.lines.map((line, i) => (
        <div key={i} className="row apart">
          <span className="quiet small">
            Line {i + 1}, {line.length} points
          </span>
          <Button size="small" type="text" onClick={() => set({ lines: lens.lines.filter((_, k) => k !== i) })}>
            Remove
          </Button>
        </div>
      ))}
      {found && (
        <div className="rows" data-testid="lens-found">
          {found.terms.map((t) => (
            <div key={t.term} className="row apart">
              <span className="quiet">{t.term}</span>
              <span className="mono">
                {t.value.toFixed(4)} ± {t.sigma.toFixed(4)}
              </span>
            </div>
          ))}
          <Note>{found.note}</Note>
          {found.terms.length > 0 && (
            <Button
              size="small"
              data-testid="take-lens"
              onClick={() => {
                set({ mode: "given", k1: found.k1, k2: found.k2, centre: found.centre ?? null });
                setFound(null);
              }}
            >
              Take it over
            </Button>
          )}
        </div>
      )}
      {lens.mode === "given" &&
        (["k1", "k2", "k3", "p1", "p2"] as const).map((term) => (
          <Field key={term} label={term} hint={term.startsWith("k") ? "Radial; radii count in half diagonals of the picture" : "Tangential"}>
            <InputNumber
              size="small"
              style={{ width: 110 }}
              min={-2}
              max={2}
              step={0.005}
              value={lens[term]}
              aria-label={term}
              onChange={(v) => v !== null && set({ [term]: v })}
            />
          </Field>
        ))}
      <Field label="Grid and lines" hint="Over the plate: what a straight grid looks like through this lens">
        <Switch size="small" checked={lensShown} aria-label="show grid and lines" onChange={(on) => setBench({ lens: on })} />
      </Field>
      <Field label="Corrected frame" hint="The whole frame with straight lines straight, zoomed out so that nothing is cut">
        <Switch
          size="small"
          disabled={!knowsLens(document)}
          checked={shown === "straight"}
          aria-label="show the corrected frame"
          onChange={(on) => setBench({ shown: on ? "straight" : "plate", wipe: null })}
        />
      </Field>
    </div>
  );
}
