/** What the code values of a plate or of artwork mean: what its file says, and what is said where that says nothing or the wrong thing. */
import { Collapse, Select } from "antd";
import type { ColourChoice, Edit, MediaFacts } from "../../api/client";
import { chosenPart, colourParts, withPart } from "../../ui/colour";
import { useWork } from "../context";
import { Field } from "./parts";

/** Colour in one line, and all of it when that is opened: for where other things matter more. */
export function FoldedColour(props: { facts: MediaFacts; choice: ColourChoice | null | undefined; placement: string | null }) {
  const parts = colourParts(props.facts);
  const seen = parts.slice(0, 2).map((p) => p.names[chosenPart(props.choice, p.key) ?? p.file]);
  const said = parts.some((p) => p.told || chosenPart(props.choice, p.key) !== null);
  return (
    <Collapse
      ghost
      size="small"
      className="sections"
      items={[
        {
          key: "colour",
          label: `Colour: ${seen.join(", ")}${said ? "" : ", not said by the file"}`,
          children: (
            <div className="rows">
              <Colour {...props} />
            </div>
          ),
        },
      ]}
    />
  );
}

export function Colour({ facts, choice, placement }: { facts: MediaFacts; choice: ColourChoice | null | undefined; placement: string | null }) {
  const { edit } = useWork();
  return (
    <>
      {colourParts(facts).map((part) => {
        const own = part.names[part.file] ?? part.file;
        return (
          <Field
            key={part.key}
            label={part.label}
            hint={`${part.hint}. ${part.told ? `The file says ${own}` : `The file does not say: it is taken as ${own}`}`}
          >
            <Select
              size="small"
              style={{ width: 190 }}
              listHeight={340}
              aria-label={part.label.toLowerCase()}
              data-testid={`colour-${part.key}`}
              value={chosenPart(choice, part.key) ?? "file"}
              options={[
                { value: "file", label: part.told ? own : `${own}, not said` },
                ...Object.entries(part.names).map(([value, label]) => ({ value, label: `set to ${label}` })),
              ]}
              onChange={(v: string) => void edit({ kind: "set_colour", placement, colour: withPart(choice, part.key, v === "file" ? null : v) } as Edit)}
            />
          </Field>
        );
      })}
    </>
  );
}
