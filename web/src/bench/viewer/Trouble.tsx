/** What keeps the picture from being made, said over it; the part it comes from can be switched off there. */
import { Button } from "antd";
import type { Edit } from "../../api/client";
import { useWork } from "../context";
import { switchedOff } from "../model/switchedOff";
import { useTrouble } from "./frames";

export function Trouble({ url }: { url: string }) {
  const { document, edit } = useWork();
  const trouble = useTrouble(url);
  if (!trouble) return null;
  const off = trouble.part ? switchedOff(document, trouble.part) : null;
  return (
    <div className="trouble" role="alert" data-testid="trouble" onPointerDown={(e) => e.stopPropagation()}>
      <span>{trouble.sentence}</span>
      {off && (
        <Button size="small" data-testid="go-on-without" onClick={() => void edit(off as Edit)}>
          Go on without it
        </Button>
      )}
    </div>
  );
}
