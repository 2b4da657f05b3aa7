/** What changed since the chosen take was made, and the way back to how it was. */
import { Button, Tooltip } from "antd";
import { api, data, type ShotView } from "../../api/client";
import { useWork } from "../context";
import { Note } from "./parts";

export function ChangedSince() {
  const { shot, take, act } = useWork();
  if (!take?.stale) return null;
  const restore = () =>
    act(async (revision) =>
      data<ShotView>(
        await api.POST("/api/shots/{shot_id}/takes/{take_id}/settings", {
          params: { path: { shot_id: shot.id, take_id: take.id } },
          body: { base_revision: revision },
        }),
      ),
    );
  return (
    <div className="rows" data-testid="changed-since">
      <Note tone="warn">Changed since this take: {take.changed.join(", ") || "something it depends on"}. Track again to follow what is drawn now.</Note>
      {take.restorable && (
        <Tooltip title="Motion, region, points and the rest as they were for this take; undo takes it back">
          <Button size="small" onClick={() => void restore()} data-testid="restore-settings">
            Back to this take's settings
          </Button>
        </Tooltip>
      )}
    </div>
  );
}
