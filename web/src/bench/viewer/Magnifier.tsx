/** Pixels around the pointer, eight times as large, with a cross on the exact place. */
import { useEffect, useRef } from "react";
import { useWork } from "../context";
import type { PlatePoint } from "../model/geometry";
import { useBench } from "../state";
import { frameCache } from "./frames";
import { isMatteView, useFrameUrl } from "./useFrameUrls";
import { urls } from "../../api/client";

const SIDE = 168;
const TIMES = 8;

export function Magnifier({ at, screen }: { at: PlatePoint; screen: { x: number; y: number; width: number } }) {
  const {
    plate,
    document: {
      plate: { colour },
    },
  } = useWork();
  const frame = useBench((s) => s.frame);
  const shown = useBench((s) => s.shown);
  const urlOf = useFrameUrl();
  const ref = useRef<HTMLCanvasElement>(null);

  useEffect(() => {
    let current = true;
    const draw = (picture: ImageBitmap | null) => {
      const context = ref.current?.getContext("2d");
      if (!current || !context || !picture || !plate.facts) return;
      const scale = picture.width / plate.facts.width;
      const part = (SIDE / TIMES) * scale;
      context.imageSmoothingEnabled = false;
      context.fillStyle = "#2c2c2c";
      context.fillRect(0, 0, SIDE, SIDE);
      context.drawImage(picture, at.x * scale - part / 2, at.y * scale - part / 2, part, part, 0, 0, SIDE, SIDE);
      for (const [style, width] of [
        ["rgba(18,20,20,.7)", 3],
        ["#f4ecda", 1],
      ] as const) {
        context.strokeStyle = style;
        context.lineWidth = width;
        context.beginPath();
        context.moveTo(SIDE / 2, 0);
        context.lineTo(SIDE / 2, SIDE / 2 - 6);
        context.moveTo(SIDE / 2, SIDE / 2 + 6);
        context.lineTo(SIDE / 2, SIDE);
        context.moveTo(0, SIDE / 2);
        context.lineTo(SIDE / 2 - 6, SIDE / 2);
        context.moveTo(SIDE / 2 + 6, SIDE / 2);
        context.lineTo(SIDE, SIDE / 2);
        context.stroke();
      }
    };
    const matte = isMatteView(shown) ? urlOf(shown, frame) : null;
    if (matte) {
      // A matte is magnified as it is shown: its edge is what is looked at.
      draw(frameCache.peek(matte));
      void frameCache.get(matte).then(draw);
      return () => {
        current = false;
      };
    }
    draw(frameCache.peek(urls.full(plate.hash, frame, colour)) ?? frameCache.peek(urls.proxy(plate.hash, frame, colour)));
    void frameCache.get(urls.full(plate.hash, frame, colour)).then(draw);
    return () => {
      current = false;
    };
  }, [colour, at.x, at.y, frame, plate, shown, urlOf]);

  const left = screen.x + SIDE + 40 > screen.width ? screen.x - SIDE - 24 : screen.x + 24;
  return (
    <div className="magnifier" style={{ left, top: Math.max(8, screen.y - SIDE - 16) }} data-testid="magnifier">
      <canvas ref={ref} width={SIDE} height={SIDE} />
      <span className="mono">
        {at.x.toFixed(2)}, {at.y.toFixed(2)} px
      </span>
    </div>
  );
}
