/** Which slot of the project the chosen artwork comes from, and which of its versions is shown. */
import { Button, Dropdown, Select } from "antd";
import { useSlots } from "../../../api/queries";
import { useShelf } from "../../../shelf/useShelf";
import { useWork } from "../../context";
import { placementName } from "../../model/placing";
import { Field, Note } from "../parts";
import { usePlacing } from "./usePlacing";

const CURRENT = 0;

export function FromShelf() {
  const { shot } = useWork();
  const { chosen, set } = usePlacing();
  const slots = useSlots(shot.project_id).data ?? [];
  const { make, addVersion } = useShelf(shot.project_id);
  if (!chosen) return null;
  const name = placementName(chosen, shot.media).replace(/\.[^.]+$/, "");
  if (!chosen.slot)
    return chosen.artwork.kind === "slot" ? null : (
      <Dropdown
        trigger={["click"]}
        menu={{
          items: [{ key: "", label: "as a new slot" }, ...slots.map((x) => ({ key: x.key, label: `as a new version of ${x.name}` }))],
          onClick: ({ key }) => {
            const slot = slots.find((x) => x.key === key);
            void (slot ? addVersion(slot, chosen.artwork) : make(name, chosen.artwork));
          },
        }}
      >
        <Button size="small" data-testid="put-on-shelf">
          Put it on the shelf
        </Button>
      </Dropdown>
    );
  const slot = slots.find((x) => x.key === chosen.slot);
  const shows = (pin: number | null) => set({ pin, version: null, artwork: { kind: "slot" } });
  const behind = slot && !chosen.pin && chosen.version !== slot.current;
  return (
    <>
      <Field
        label={slot?.name ?? chosen.slot}
        hint="A slot of the project: a new version of it is shown here at once, unless this shot stays with one. Artwork that is changed here is no longer the slot's"
      >
        <Select
          size="small"
          style={{ width: 190 }}
          value={chosen.pin ?? CURRENT}
          aria-label="version"
          data-testid="version"
          onChange={(v) => shows(v === CURRENT ? null : v)}
          options={[
            { value: CURRENT, label: `the current one${slot ? `, ${slot.current}` : ""}` },
            ...(slot?.versions ?? []).map((v) => ({ value: v.number, label: `stays with ${v.number}${v.note ? `, ${v.note}` : ""}` })),
          ]}
        />
      </Field>
      {behind && (
        <Note tone="warn">
          {`This shot shows version ${chosen.version}; ${slot.current} is the current one. `}
          <Button size="small" onClick={() => shows(null)}>{`Show ${slot.current}`}</Button>
        </Note>
      )}
      <Button size="small" onClick={() => set({ slot: null, pin: null, version: null })}>
        Keep it apart from the shelf
      </Button>
    </>
  );
}
