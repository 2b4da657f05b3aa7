/** The plate along the surface's four edges, laid straight and magnified: a gap shows as a line beside the middle one. */
import { useDeferredValue, useEffect, useRef, useState } from "react";
import { urls } from "../../../api/client";
import { CornerGlyph } from "../../../ui/corners";
import { useWork } from "../../context";
import type { PlatePoint } from "../../model/geometry";
import { useBench } from "../../state";
import { frameCache } from "../../viewer/frames";
import { useShapes } from "../../viewer/useShapes";

const HEIGHT = 36;
/** Plate px to either side of the edge. */
const REACH = 6;

function draw(context: CanvasRenderingContext2D, picture: ImageBitmap, scale: number, a: PlatePoint, b: PlatePoint, width: number): void {
  const length = Math.hypot(b.x - a.x, b.y - a.y) || 1;
  const [ux, uy] = [(b.x - a.x) / length, (b.y - a.y) / length];
  const along = width / length;
  const across = HEIGHT / (2 * REACH);
  context.save();
  context.fillStyle = "#2c2c2c";
  context.fillRect(0, 0, width, HEIGHT);
  context.imageSmoothingEnabled = false;
  // Plate px -> strip: along the edge, and across it with the surface's inside below.
  context.setTransform(1, 0, 0, 1, 0, 0);
  context.transform(along * ux, -across * uy, along * uy, across * ux, -along * (ux * a.x + uy * a.y), HEIGHT / 2 - across * (-uy * a.x + ux * a.y));
  context.drawImage(picture, 0, 0, picture.width / scale, picture.height / scale);
  context.restore();
  context.fillStyle = "rgba(244,236,218,.85)";
  context.fillRect(0, HEIGHT / 2 - 0.5, 6, 1);
  context.fillRect(width - 6, HEIGHT / 2 - 0.5, 6, 1);
  context.fillStyle = "rgba(244,236,218,.35)";
  context.fillRect(6, HEIGHT / 2 - 0.5, width - 12, 1);
}

export function EdgeCheck() {
  const {
    plate,
    document: {
      plate: { colour },
    },
  } = useWork();
  // The dragged overlay comes first.
  const corners = useDeferredValue(useShapes().corners);
  const frame = useBench((s) => s.frame);
  const [picture, setPicture] = useState<ImageBitmap | null>(null);
  const strips = useRef<(HTMLCanvasElement | null)[]>([]);
  useEffect(() => {
    let current = true;
    void frameCache.get(urls.full(plate.hash, frame, colour)).then((p) => current && p && setPicture(p));
    return () => {
      current = false;
    };
  }, [frame, colour, plate.hash]);
  useEffect(() => {
    if (!corners || !picture || !plate.facts) return;
    const scale = picture.width / plate.facts.width;
    strips.current.forEach((canvas, i) => {
      const context = canvas?.getContext("2d");
      const [a, b] = [corners[i], corners[(i + 1) % 4]];
      if (canvas && context && a && b) draw(context, picture, scale, a, b, canvas.width);
    });
  }, [corners, picture, plate.facts]);
  if (!corners) return null;
  return (
    <div className="edges" data-testid="edge-check">
      {["top", "right", "bottom", "left"].map((name, i) => (
        <div key={name} title={`The ${name} edge, laid straight; inside is below the line`}>
          <CornerGlyph corner={i} size={8} />
          <canvas
            ref={(node) => {
              strips.current[i] = node;
            }}
            width={244}
            height={HEIGHT}
          />
          <CornerGlyph corner={(i + 1) % 4} size={8} />
        </div>
      ))}
    </div>
  );
}
