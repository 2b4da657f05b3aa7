/** A smooth closed curve through points, the same as the core draws: centripetal Catmull-Rom (Yuksel, Schaefer, Keyser 2011). Pure. */
import type { PlatePoint } from "./geometry";

export function smoothOutline(points: readonly PlatePoint[], steps = 12): PlatePoint[] {
  const n = points.length;
  const at = (i: number): PlatePoint => points[((i % n) + n) % n] ?? { x: 0, y: 0 };
  const gap = (a: PlatePoint, b: PlatePoint) => Math.max(Math.sqrt(Math.hypot(b.x - a.x, b.y - a.y)), 1e-6);
  const between = (a: PlatePoint, b: PlatePoint, t: number): PlatePoint => ({ x: a.x + (b.x - a.x) * t, y: a.y + (b.y - a.y) * t });
  const answer: PlatePoint[] = [];
  for (let i = 0; i < n; i++) {
    const [a, b, c, d] = [at(i - 1), at(i), at(i + 1), at(i + 2)];
    const t1 = gap(a, b);
    const t2 = t1 + gap(b, c);
    const t3 = t2 + gap(c, d);
    for (let k = 0; k < steps; k++) {
      const t = t1 + ((t2 - t1) * k) / steps;
      const ab = between(a, b, t / t1);
      const bc = between(b, c, (t - t1) / (t2 - t1));
      const cd = between(c, d, (t - t2) / (t3 - t2));
      const abc = between(ab, bc, t / t2);
      const bcd = between(bc, cd, (t - t1) / (t3 - t1));
      answer.push(between(abc, bcd, (t - t1) / (t2 - t1)));
    }
  }
  return answer;
}
