/** The shelf of the project, opened over the work order. */
import { Button } from "antd";
import { useState } from "react";
import { Shelf } from "../shelf/Shelf";
import { useWork } from "./context";
import { setBench } from "./state";
import { usePlacing } from "./steps/place/usePlacing";

export function ShelfButton() {
  const { shot, surface } = useWork();
  const { addSlot } = usePlacing();
  const [open, setOpen] = useState(false);
  const place = (key: string) => {
    setBench({ step: "place" });
    addSlot(key);
  };
  return (
    <>
      <Button className="shelf-button" size="small" onClick={() => setOpen(true)} data-testid="open-shelf">
        Shelf
      </Button>
      <Shelf
        project={shot.project_id}
        open={open}
        close={() => setOpen(false)}
        placing={surface?.corners ? { label: `Place on ${surface.name}`, place: (x) => place(x.key) } : undefined}
      />
    </>
  );
}
