/** Mask: what is in front stays in front. */
import { Button, Collapse, Input, Segmented, Select } from "antd";
import type { Edit, Placement } from "../../api/client";
import { useWork } from "../context";
import { newMatte } from "../model/matte";
import { placementName } from "../model/placing";
import { setBench, useBench } from "../state";
import { Recipe } from "./mask/Recipe";
import { PartControls } from "./mask/PartControls";
import { matteEdit, useMasking } from "./mask/useMasking";
import { EdgeLook } from "./mask/EdgeLook";
import { MatteProposal } from "./mask/MatteProposal";
import { Field, Note } from "./parts";

type Use = "none" | "front" | "within";

function Uses({ matte }: { matte: string }) {
  const { document, shot, surface, edit } = useWork();
  const placements = document.placements.filter((p) => !p.surface || p.surface === surface?.id);
  if (placements.length === 0) return <Note>Nothing is placed here yet: the matte can be made, and used later.</Note>;
  const use = (p: Placement): Use => (p.kept_in_front.includes(matte) ? "front" : p.shown_only_in.includes(matte) ? "within" : "none");
  const choose = (p: Placement, to: Use) => {
    const without = (ids: readonly string[]) => ids.filter((k) => k !== matte);
    const placement = {
      ...p,
      kept_in_front: [...without(p.kept_in_front), ...(to === "front" ? [matte] : [])],
      shown_only_in: [...without(p.shown_only_in), ...(to === "within" ? [matte] : [])],
    };
    void edit({ kind: "set_placement", placement } as Edit);
  };
  return placements.map((p) => (
    <div key={p.id} className="rows">
      <b className="small">{placementName(p, shot.media)}</b>
      <Field label="This matte" hint="Whether it stays in front of the artwork, or the artwork is seen only within it">
        <Segmented
          size="small"
          value={use(p)}
          data-testid={`use-${p.id}`}
          onChange={(v) => choose(p, v as Use)}
          options={[
            { value: "none", label: "not used" },
            { value: "front", label: "in front" },
            { value: "within", label: "seen within" },
          ]}
        />
      </Field>
      {document.occluders.length > 0 && (
        <Field label="Outlines" hint="Whether the outlines on the depth line stay in front of it as well; a key often does that better">
          <Segmented
            size="small"
            value={p.covered_by_nearer ? "front" : "none"}
            data-testid={`outlines-${p.id}`}
            onChange={(v) => void edit({ kind: "set_placement", placement: { ...p, covered_by_nearer: v === "front" } } as Edit)}
            options={[
              { value: "none", label: "not used" },
              { value: "front", label: "in front" },
            ]}
          />
        </Field>
      )}
    </div>
  ));
}

export function Mask() {
  const { document, surface, edit } = useWork();
  const { matte, part, set } = useMasking();
  const tool = useBench((s) => s.tool);
  const fresh = () => {
    const one = newMatte(surface?.id ?? null, document.mattes);
    setBench({ matte: one.id, part: null });
    void edit(matteEdit(one));
  };
  return (
    <div className="rows">
      {document.mattes.length > 0 && (
        <div className="row">
          <Select
            size="small"
            style={{ flex: 1 }}
            value={matte?.id}
            aria-label="matte"
            data-testid="matte"
            options={document.mattes.map((m) => ({ value: m.id, label: m.name ?? m.id }))}
            onChange={(id: string) => setBench({ matte: id, part: null })}
          />
          <Button size="small" onClick={fresh} data-testid="new-matte">
            New
          </Button>
        </div>
      )}
      {matte === null && (
        <Note>A hand, hair, an arm that passes in front: say what is in front, and the artwork stays behind it. Outlines on the depth line do so already.</Note>
      )}
      <Recipe />
      <MatteProposal />
      {tool === "sample" && <Note>Click around an area of bare screen, then Enter. Leave marks and shadows out.</Note>}
      {tool === "matte" && <Note>Click around it, then Enter. It rides on the chosen surface.</Note>}
      {matte && (
        <>
          <Collapse
            ghost
            size="small"
            className="sections"
            defaultActiveKey={["part", "strip"]}
            items={[
              ...(part
                ? [
                    {
                      key: "part",
                      label: "This part",
                      children: (
                        <div className="rows">
                          <PartControls />
                        </div>
                      ),
                    },
                  ]
                : []),
              { key: "strip", label: "Its edge over time", children: <EdgeLook /> },
              {
                key: "uses",
                label: "What it is for",
                children: (
                  <div className="rows">
                    <Uses matte={matte.id} />
                  </div>
                ),
              },
              {
                key: "name",
                label: "Its name and surface",
                children: (
                  <div className="rows">
                    <Field label="Name">
                      <Input
                        key={matte.id + (matte.name ?? "")}
                        size="small"
                        style={{ width: 190 }}
                        defaultValue={matte.name ?? ""}
                        maxLength={120}
                        aria-label="name of the matte"
                        onBlur={(e) => e.target.value.trim() && e.target.value !== matte.name && set({ ...matte, name: e.target.value.trim() })}
                        onPressEnter={(e) => e.currentTarget.blur()}
                      />
                    </Field>
                    <Field label="Surface" hint="Keys look around this surface, and tell the bare screen's light from within it">
                      <Select
                        size="small"
                        style={{ width: 190 }}
                        value={matte.surface ?? "none"}
                        aria-label="surface of the matte"
                        options={[{ value: "none", label: "none: the whole picture" }, ...document.surfaces.map((s) => ({ value: s.id, label: s.name }))]}
                        onChange={(v: string) => set({ ...matte, surface: v === "none" ? null : v })}
                      />
                    </Field>
                  </div>
                ),
              },
            ]}
          />
          <Button
            size="small"
            onClick={() => {
              setBench({ matte: null, part: null, shown: "plate" });
              void edit({ kind: "remove_matte", matte: matte.id } as Edit);
            }}
          >
            Take the matte out
          </Button>
        </>
      )}
    </div>
  );
}
