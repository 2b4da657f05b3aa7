/** The small picture of what was measured: ramps, lines over time, patches of grain. */
import type { Proposal } from "../../../api/client";
import { sparkline } from "../../model/match";

const W = 74;
const H = 26;
const css = (rgb: readonly number[]) => `rgb(${rgb.map((v) => Math.round(255 * Math.min(1, Math.max(0, v)) ** (1 / 2.2))).join(",")})`;
const three = (v: unknown, otherwise: number): number[] => (Array.isArray(v) ? (v as number[]) : [otherwise, otherwise, otherwise]);

/** Plate's ramp above, artwork's below: where they differ, the seam shows. */
function Ramps({ value }: { value: Record<string, unknown> }) {
  const [gain, ink, offset] = [three(value.gain, 1), three(value.ink, 0), three(value.offset, 0)];
  const steps = Array.from({ length: 9 }, (_, i) => i / 8);
  return (
    <>
      {steps.map((t, i) => (
        <g key={i}>
          <rect
            x={(i * W) / 9}
            width={W / 9 + 0.5}
            height={H / 2}
            fill={css(gain.map((g, c) => g * ((ink[c] ?? 0) + (1 - (ink[c] ?? 0)) * t) + (offset[c] ?? 0)))}
          />
          <rect x={(i * W) / 9} y={H / 2} width={W / 9 + 0.5} height={H / 2} fill={css([t, t, t])} />
        </g>
      ))}
    </>
  );
}

/** Two patches: with this grain, and without; the same specks every time. */
function Specks({ value }: { value: Record<string, unknown> }) {
  const deviation = (value.deviation as number[][] | undefined) ?? [];
  const middle = deviation[Math.floor(deviation.length / 2)]?.[1] ?? 0;
  const cell = 3;
  const specks = [];
  let seed = 7;
  for (let y = 0; y < H; y += cell)
    for (let x = 0; x < W / 2; x += cell) {
      seed = (seed * 16807) % 2147483647;
      const v = 0.45 + 12 * middle * (seed / 2147483647 - 0.5);
      specks.push(<rect key={`${x} ${y}`} x={x} y={y} width={cell} height={cell} fill={`rgb(${[v, v, v].map((c) => Math.round(255 * c)).join(",")})`} />);
    }
  return (
    <>
      {specks}
      <rect x={W / 2} width={W / 2} height={H} fill="rgb(115,115,115)" />
    </>
  );
}

/** A rim with red and blue beside green, as far apart as they are at the farthest corner, drawn larger. */
function Rim({ value }: { value: Record<string, unknown> }) {
  const at = (k: string) => W / 2 + Math.max(-14, Math.min(14, 4000 * (Number(value[k]) || 0)));
  return (
    <g style={{ mixBlendMode: "screen" }}>
      <rect x={W / 2} width={W / 2} height={H} fill="#00b000" style={{ mixBlendMode: "screen" }} />
      <rect x={at("red")} width={W} height={H} fill="#b00000" style={{ mixBlendMode: "screen" }} />
      <rect x={at("blue")} width={W} height={H} fill="#0000b0" style={{ mixBlendMode: "screen" }} />
    </g>
  );
}

/** Light that falls off from a screen at the left. */
function Falling({ value }: { value: Record<string, unknown> }) {
  const reach = Math.max(2, Number(value.radius_px) || 20);
  const steps = Array.from({ length: 18 }, (_, i) => i);
  return (
    <>
      <rect width={W / 4} height={H} fill="#d8dcdc" />
      {steps.map((i) => {
        const v = Math.min(1, (Number(value.strength) || 0) * 6) * Math.exp(-(((i * 4) / reach) ** 2));
        return <rect key={i} x={W / 4 + i * 3.2} width={3.3} height={H} fill={css([v, v, v])} />;
      })}
    </>
  );
}

/** What is in front, and its shadow beside it. */
function Beside({ value }: { value: Record<string, unknown> }) {
  const [x = 0, y = 0] = (value.offset_px as number[] | undefined) ?? [];
  const soft = Math.min(4, (Number(value.soft_px) || 0) / 4);
  return (
    <>
      <rect width={W} height={H} fill="#8c9191" />
      <rect
        x={W / 2 - 9 + x / 2}
        y={6 + y / 2}
        width={18}
        height={H}
        fill="#000"
        opacity={Math.min(1, Number(value.strength) || 0)}
        style={{ filter: `blur(${soft}px)` }}
      />
      <rect x={W / 2 - 9} y={6} width={18} height={H} fill="#c99f83" />
    </>
  );
}

export function Evidence({ proposal }: { proposal: Proposal }) {
  const { part, value, evidence } = proposal;
  const line = evidence[0] ? sparkline(evidence[0], W, H) : "";
  return (
    <svg className="evidence" width={W} height={H} aria-hidden>
      <rect width={W} height={H} fill="#121414" />
      {part === "levels" && value && <Ramps value={value} />}
      {part === "grain" && value && <Specks value={value} />}
      {part === "fringe" && value && <Rim value={value} />}
      {part === "glow" && value && <Falling value={value} />}
      {part === "shadow" && value && <Beside value={value} />}
      {line && <path d={line} fill="none" stroke="#62b5a3" strokeWidth={1.5} />}
      {part === "softness" && !line && value && (
        <path
          d={`M4 ${H - 4}H26C34 ${H - 4} ${34 + 6 * Math.min(2, Number(value.sigma_px) || 0)} 4 ${44 + 8 * Math.min(2, Number(value.sigma_px) || 0)} 4H70`}
          fill="none"
          stroke="#62b5a3"
          strokeWidth={1.5}
        />
      )}
    </svg>
  );
}
