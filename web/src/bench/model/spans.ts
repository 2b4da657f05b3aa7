/** Spans of frames, both ends included. Pure. */
export type FrameSpan = [number, number];

/** The same frames in as few spans as they need, in order. */
export function joined(spans: readonly FrameSpan[]): FrameSpan[] {
  const answer: FrameSpan[] = [];
  for (const [a, b] of [...spans].sort((x, y) => x[0] - y[0])) {
    const last = answer.at(-1);
    if (last && a <= last[1] + 1) last[1] = Math.max(last[1], b);
    else answer.push([a, b]);
  }
  return answer;
}

/** What is left of a span without another one. */
export function without([first, last]: FrameSpan, [a, b]: FrameSpan): FrameSpan[] {
  const answer: FrameSpan[] = [];
  if (a > first) answer.push([first, Math.min(a - 1, last)]);
  if (b < last) answer.push([Math.max(b + 1, first), last]);
  return answer;
}
