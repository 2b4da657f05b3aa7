/** The picture itself on a 2D canvas: proxy at once, full quality when it stands still, wipe, held plate. */
import { type RefObject, useEffect, useState } from "react";
import { urls } from "../../api/client";
import { useWork } from "../context";
import { useBench } from "../state";
import { frameCache } from "./frames";
import type { Size, View } from "./math/view";
import { Trouble } from "./Trouble";
import { useDrafts } from "./useDraft";
import { useFrameUrl } from "./useFrameUrls";
import { useLiveCoverage } from "./useLiveCoverage";

const STILL_MS = 220;
const MOST_WIDE = 1280;

/** The pictures to draw now; the last one stays until the next is here, so that nothing flickers. */
function useShownPictures(width: number) {
  const {
    plate,
    document: {
      plate: { colour },
    },
  } = useWork();
  const frame = useBench((s) => s.frame);
  const playing = useBench((s) => s.playing !== 0);
  const wanted = useBench((s) => (s.holdPlate ? "plate" : s.shown));
  const wiping = useBench((s) => s.wipe !== null && !s.holdPlate);
  const urlOf = useFrameUrl();
  const live = useLiveCoverage(width);
  const dragged = useDrafts((s) => Object.keys(s.shapes).length > 0);
  const [main, setMain] = useState<{ url: string; picture: ImageBitmap } | null>(null);
  const [under, setUnder] = useState<ImageBitmap | null>(null);
  const mainUrl = urlOf(wiping ? "result" : wanted, frame);
  const underUrl = wiping ? urlOf("plate", frame) : null;

  useEffect(() => {
    let current = true;
    const here = frameCache.peek(mainUrl);
    const show = (picture: ImageBitmap) => setMain({ url: mainUrl, picture });
    if (here) show(here);
    else void frameCache.get(mainUrl).then((p) => current && p && show(p));
    if (underUrl) void frameCache.get(underUrl).then((p) => current && p && setUnder(p));
    // Full size is fetched only for the plate that stands still.
    const timer = window.setTimeout(() => {
      if (playing || wanted !== "plate" || wiping) return;
      void frameCache.get(urls.full(plate.hash, frame, colour)).then((p) => current && p && show(p));
    }, STILL_MS);
    return () => {
      current = false;
      window.clearTimeout(timer);
    };
  }, [frame, mainUrl, colour, plate.hash, playing, underUrl, wanted, wiping]);
  // What was drawn while dragging stays until the same is here for good.
  const shown = live && (dragged || main?.url !== mainUrl) ? live : (main?.picture ?? null);
  return { main: shown, under: wiping ? under : null, url: mainUrl };
}

export function Picture({ view, size, aspect, canvasRef }: { view: View; size: Size; aspect: number; canvasRef: RefObject<HTMLCanvasElement | null> }) {
  const { plate } = useWork();
  // A picture that is made while somebody waits need not be larger than it is shown.
  const width = Math.round((plate.facts?.width ?? 0) * view.zoom * window.devicePixelRatio);
  const { main, under, url } = useShownPictures(Math.max(320, Math.min(MOST_WIDE, width)));
  const wipe = useBench((s) => s.wipe);
  const hurried = useBench((s) => s.playing !== 0 || s.dragging);

  useEffect(() => {
    const canvas = canvasRef.current;
    const context = canvas?.getContext("2d");
    if (!canvas || !context || !plate.facts) return;
    const ratio = window.devicePixelRatio;
    if (canvas.width !== Math.round(size.width * ratio) || canvas.height !== Math.round(size.height * ratio)) {
      canvas.width = Math.round(size.width * ratio);
      canvas.height = Math.round(size.height * ratio);
    }
    context.setTransform(ratio, 0, 0, ratio, 0, 0);
    context.fillStyle = "#2c2c2c";
    context.fillRect(0, 0, size.width, size.height);
    // Magnified pixels are shown as they are; smoothing would hide where an edge lies.
    context.imageSmoothingEnabled = view.zoom < 3;
    context.imageSmoothingQuality = hurried ? "low" : "medium";
    const w = plate.facts.width * aspect * view.zoom;
    const h = plate.facts.height * view.zoom;
    if (main) context.drawImage(main, view.panX, view.panY, w, h);
    if (under && wipe !== null) {
      const edge = view.panX + w * wipe;
      context.save();
      context.beginPath();
      context.rect(edge, view.panY, view.panX + w - edge, h);
      context.clip();
      context.drawImage(under, view.panX, view.panY, w, h);
      context.restore();
    }
  }, [aspect, canvasRef, main, plate.facts, hurried, size, under, view, wipe]);

  return (
    <>
      <canvas ref={canvasRef} data-testid="picture" style={{ width: size.width, height: size.height, display: "block" }} />
      <Trouble url={url} />
    </>
  );
}
