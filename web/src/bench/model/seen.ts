/** What following found of the camera, and how a frame is seen, in the trade's words. */
import type { TakeFrame, TakeView } from "../../api/types";

const share = (v: number) => `${(100 * v).toFixed(v < 0.1 ? 1 : 0)} %`;

/** What was found of the camera, a line to each thing that is there. */
export function cameraLines(camera: TakeView["camera"]): [string, string][] {
  if (!camera) return [];
  const lines: [string, string][] = [];
  const { lens, readout, shutter, bow } = camera;
  if (lens && (lens.k1 || lens.k2)) lines.push(["Lens", `k1 ${lens.k1.toFixed(4)}${lens.k2 ? `, k2 ${lens.k2.toFixed(4)}` : ""}`]);
  if (readout) lines.push(["Rows", `read over ${share(Math.abs(readout))} of a frame${readout < 0 ? ", from below" : ""}`]);
  if (shutter) lines.push(["Shutter", `${Math.round(360 * shutter)} degrees`]);
  if (bow[0] || bow[1]) lines.push(["Bow", `${share(Math.abs(bow[0]))} along, ${share(Math.abs(bow[1]))} across`]);
  return lines;
}

/** How soft and noisy a frame is seen. */
export function softnessLines(frame: TakeFrame | undefined): [string, string][] {
  if (!frame || frame.defocus_px2 === null) return [];
  const lines: [string, string][] = [];
  const blur = Math.sqrt(Math.abs(frame.defocus_px2));
  if (blur >= 0.15) lines.push(["Focus", `${blur.toFixed(2)} px ${frame.defocus_px2 > 0 ? "softer" : "sharper"} than the reference`]);
  if (frame.smear_px !== null && frame.smear_px >= 0.1) lines.push(["Smear", `${frame.smear_px.toFixed(1)} px`]);
  if (frame.noise !== null) lines.push(["Noise", `${(255 * frame.noise).toFixed(1)} of 255`]);
  return lines;
}
