/** What was removed: it can be put back for 30 days. */
import { Button, Drawer, Empty } from "antd";
import { timeText } from "../ui/format";
import { useBin, useBinEdits } from "../ui/useBin";

const KINDS = { project: "project", shot: "shot", media: "media" };

export function Bin({ open, close }: { open: boolean; close: () => void }) {
  const found = useBin().data ?? [];
  const { restore } = useBinEdits();
  return (
    <Drawer title="Bin" open={open} onClose={close} width={420}>
      <div className="rows" data-testid="bin">
        {found.length === 0 && <Empty description="Nothing was removed." />}
        {found.map((r) => (
          <div key={r.kind + r.id} className="row apart">
            <span>
              {r.name}
              <span className="quiet small">
                {" "}
                {KINDS[r.kind]}, kept until {timeText(r.kept_until)}
              </span>
            </span>
            <Button size="small" onClick={() => void restore(r.kind, r.id)}>
              Put back
            </Button>
          </div>
        ))}
      </div>
    </Drawer>
  );
}
