/** Where the plate lies on the screen: pan and zoom. Pure. */
import type { PlatePoint, ScreenPoint } from "../../model/geometry";

export type View = { zoom: number; panX: number; panY: number };
export type Size = { width: number; height: number };

export const LEAST_ZOOM = 0.05;
export const MOST_ZOOM = 32;

/** The view that shows all of the plate with a small margin; `aspect` is the pixel shape. */
export function fitView(plate: Size, screen: Size, aspect: number, margin = 10): View {
  const width = plate.width * aspect;
  const zoom = Math.max(LEAST_ZOOM, Math.min((screen.width - 2 * margin) / width, (screen.height - 2 * margin) / plate.height));
  return { zoom, panX: (screen.width - width * zoom) / 2, panY: (screen.height - plate.height * zoom) / 2 };
}

export function toScreen(v: View, aspect: number, p: PlatePoint): ScreenPoint {
  return { x: v.panX + p.x * aspect * v.zoom, y: v.panY + p.y * v.zoom };
}

export function toPlate(v: View, aspect: number, s: ScreenPoint): PlatePoint {
  return { x: (s.x - v.panX) / v.zoom / aspect, y: (s.y - v.panY) / v.zoom };
}

/** Zoom about a point that stays where it is. */
export function zoomAbout(v: View, about: ScreenPoint, factor: number): View {
  const zoom = Math.min(MOST_ZOOM, Math.max(LEAST_ZOOM, v.zoom * factor));
  const k = zoom / v.zoom;
  return { zoom, panX: about.x - (about.x - v.panX) * k, panY: about.y - (about.y - v.panY) * k };
}
