/** Corners have shapes, everywhere the same: disc, triangle, square, diamond. */
export const CORNER_GLYPHS = ["disc", "triangle", "square", "diamond"] as const;
export const CORNER_NAMES = ["top-left", "top-right", "bottom-right", "bottom-left"] as const;

/** Path of a corner's glyph around 0,0, `r` px in radius. */
export function glyphPath(corner: number, r: number): string {
  if (corner === 0) return `M${-r} 0a${r} ${r} 0 1 0 ${2 * r} 0a${r} ${r} 0 1 0 ${-2 * r} 0Z`;
  if (corner === 1) return `M0 ${-1.15 * r}L${1.1 * r} ${0.9 * r}L${-1.1 * r} ${0.9 * r}Z`;
  if (corner === 2) return `M${-0.92 * r} ${-0.92 * r}H${0.92 * r}V${0.92 * r}H${-0.92 * r}Z`;
  return `M0 ${-1.25 * r}L${1.25 * r} 0L0 ${1.25 * r}L${-1.25 * r} 0Z`;
}

/** A corner's glyph inline with text. */
export function CornerGlyph({ corner, size = 10 }: { corner: number; size?: number }) {
  return (
    <svg width={size + 4} height={size + 4} viewBox="-8 -8 16 16" role="img" aria-label={`${CORNER_NAMES[corner]} corner`}>
      <path d={glyphPath(corner, 5)} fill="#f4ecda" stroke="#121414" strokeWidth="1" />
    </svg>
  );
}
