/** Take this frame for drawing, and bring back what was drawn: it lies exactly on the frame, and rides from there. */
import { App, Button, Popover } from "antd";
import { type MediaView, urls } from "../../../api/client";
import { fileArtwork } from "../../../shelf/artwork";
import { Upload } from "../../../ui/Upload";
import { useWork } from "../../context";
import { useBench } from "../../state";
import { Note } from "../parts";
import { usePlacing } from "./usePlacing";

const FORMS = [
  ["png", "PNG, 16 bit"],
  ["tif", "TIFF, 16 bit"],
  ["exr", "EXR, linear"],
] as const;

export function DrawOver() {
  const { shot, surface, plate, firstFrame, frames } = useWork();
  const { addDrawn } = usePlacing();
  const { notification } = App.useApp();
  const frame = useBench((s) => s.frame);
  if (!surface?.corners) return null;
  const followed = frame === surface.reference_frame || !!frames?.get(frame)?.homography;
  const back = (m: MediaView) => {
    const [f, p] = [m.facts, plate.facts];
    if (!f || !p) return;
    if (Math.abs(f.width / f.height / (p.width / p.height) - 1) > 0.01)
      notification.warning({
        message: "Not placed",
        description: `What is drawn over a frame has the plate's size, ${p.width} x ${p.height}. ${m.name} has ${f.width} x ${f.height}. It is among the files of the project.`,
        duration: 12,
      });
    else addDrawn(fileArtwork(m.hash), frame);
  };
  const content = (
    <div className="rows" style={{ width: 280 }} data-testid="draw-over">
      <div className="row">
        {FORMS.map(([form, label]) => (
          <a key={form} href={urls.toDrawOver(shot.id, frame, form)} download data-testid={`take-${form}`}>
            {label}
          </a>
        ))}
      </div>
      <a href={urls.guides(shot.id, frame)} download data-testid="take-guides">
        Guides as a second picture, PNG
      </a>
      <Note>{`Draw on a layer of its own, and save that layer alone with its transparency.`}</Note>
      {followed ? (
        <Upload title="Drop here what was drawn" hint={`it lies on frame ${frame + firstFrame} as drawn`} onMedia={back} />
      ) : (
        <Note tone="warn">{`${surface.name} is not followed at this frame.`}</Note>
      )}
    </div>
  );
  return (
    <Popover trigger="click" placement="leftTop" content={content} title={`Frame ${frame + firstFrame}, for drawing`}>
      <Button size="small" data-testid="take-frame">
        Take this frame for drawing
      </Button>
    </Popover>
  );
}
