/** Scopes of the surface as it comes out, beside the plate around it. */
import { Segmented } from "antd";
import { useState } from "react";
import { urls } from "../../../api/client";
import { useWork } from "../../context";
import { useCalmFrame } from "../../state";
import { useTakesState } from "../../viewer/useFrameUrls";
import { Field } from "../parts";

type Kind = "none" | "waveform" | "vectorscope";

export function Scopes() {
  const { shot, surface, document } = useWork();
  const [kind, setKind] = useState<Kind>("none");
  const frame = useCalmFrame();
  const state = useTakesState();
  if (!surface || document.placements.length === 0) return null;
  return (
    <div className="rows">
      <Field label="Scopes" hint="Left the surface as it comes out, right the plate around it: they should look like parts of one picture">
        <Segmented
          size="small"
          value={kind}
          data-testid="scopes"
          options={[
            { value: "none", label: "none" },
            { value: "waveform", label: "waveform" },
            { value: "vectorscope", label: "colour" },
          ]}
          onChange={(v) => setKind(v as Kind)}
        />
      </Field>
      {kind !== "none" && (
        <figure className="scope">
          <img
            src={urls.scope(shot.id, shot.revision, surface.id, kind, frame, state)}
            alt={`${kind} of ${surface.name}, and of the plate around it`}
            data-testid="scope"
          />
          <figcaption className="quiet small">
            <span>the surface</span>
            <span>around it</span>
          </figcaption>
        </figure>
      )}
    </div>
  );
}
