/** How often each value comes, and the three bands the bounds make of it: clear, edge, solid. */
const HEIGHT = 34;

export function Bands({ counts, low, high }: { counts: readonly number[]; low: number; high: number }) {
  // Few pixels are edge: by their logarithm they are seen beside many that are clear or solid.
  const most = Math.log1p(Math.max(1, ...counts));
  const width = 100 / counts.length;
  return (
    <svg
      className="bands"
      viewBox={`0 0 100 ${HEIGHT}`}
      preserveAspectRatio="none"
      role="img"
      aria-label={`clear up to ${Math.round(low * 100)} of 100, solid from ${Math.round(high * 100)}`}
      data-testid="bands"
    >
      <rect x={0} width={100 * low} height={HEIGHT} className="clear" />
      <rect x={100 * low} width={Math.max(0, 100 * (high - low))} height={HEIGHT} className="edge" />
      <rect x={100 * high} width={100 - 100 * high} height={HEIGHT} className="solid" />
      {counts.map((n, i) => {
        const h = (HEIGHT - 2) * (Math.log1p(n) / most);
        return <rect key={i} x={i * width} y={HEIGHT - h} width={width * 0.86} height={h} className="count" />;
      })}
    </svg>
  );
}
