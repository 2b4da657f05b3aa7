/** Lines drawn along straight edges, and the grid of the lens over the plate. */
import { useWork } from "../context";
import { at, type PlatePoint, type ScreenPoint } from "../model/geometry";
import { grid, termsOf } from "../model/lens";
import { path } from "./grab";

export function LensOverlay({ toScreen }: { toScreen: (p: PlatePoint) => ScreenPoint }) {
  const { document, plate } = useWork();
  const { lens } = document;
  const size = plate.facts;
  return (
    <g pointerEvents="none" data-testid="lens-overlay">
      {size &&
        lens.mode === "given" &&
        grid(termsOf(lens, size.width, size.height), size.width, size.height).map((line, i) => (
          <path key={i} d={path(line.map(toScreen), false)} fill="none" stroke="#f4ecda" strokeOpacity={0.35} strokeWidth={1} />
        ))}
      {lens.lines.map((line, i) => {
        const points = line.map((p) => toScreen(at(p)));
        return (
          <g key={i} data-testid={`line-${i}`}>
            <path d={path(points, false)} fill="none" stroke="#121414" strokeOpacity={0.6} strokeWidth={3.4} />
            <path d={path(points, false)} fill="none" stroke="#f4ecda" strokeWidth={1.5} strokeDasharray="10 3" />
            {points.map((p, k) => (
              <circle key={k} cx={p.x} cy={p.y} r={2.6} fill="#f4ecda" stroke="#121414" strokeWidth={0.8} />
            ))}
          </g>
        );
      })}
    </g>
  );
}
