const W = 720;
const H = 260;
const PAD = { left: 64, right: 12, top: 10, bottom: 40 };

/** Ticks at round numbers, about `count` of them. */
export function ticks(low: number, high: number, count = 6): number[] {
  if (!(high > low)) return [low];
  const raw = (high - low) / count;
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = ([1, 2, 5, 10].find((m) => m * power >= raw) ?? 10) * power;
  const out = [];
  for (let t = Math.ceil(low / step) * step; t <= high + step * 1e-9; t += step) out.push(Number(t.toPrecision(10)));
  return out;
}

/** A calculation's curve, the place asked for marked; a tolerance is drawn as a band about zero. */
export function CurvePlot({ points, band, at, x, y }: { points: [number, number][]; band: boolean; at: number; x: string; y: string }) {
  if (points.length < 2) return <p className="text-muted">No curve with these values.</p>;
  const xs = points.map((p) => p[0]);
  const ys = points.flatMap((p) => (band ? [p[1], -p[1]] : [p[1]]));
  const [x0, x1] = [Math.min(...xs), Math.max(...xs)];
  let [y0, y1] = [Math.min(...ys), Math.max(...ys)];
  if (y0 === y1) [y0, y1] = [y0 - 1, y1 + 1];
  const px = (v: number) => PAD.left + ((v - x0) / (x1 - x0)) * (W - PAD.left - PAD.right);
  const py = (v: number) => H - PAD.bottom - ((v - y0) / (y1 - y0)) * (H - PAD.top - PAD.bottom);
  const line = (f: (v: number) => number) => points.map((p, n) => `${n ? "L" : "M"}${px(p[0]).toFixed(1)} ${py(f(p[1])).toFixed(1)}`).join("");
  const there = points.reduce((best, p) => (Math.abs(p[0] - at) < Math.abs(best[0] - at) ? p : best));
  const inside = at >= x0 && at <= x1;
  return (
    <figure className="max-w-2xl">
      <svg viewBox={`0 0 ${W} ${H}`} className="w-full" role="img" aria-label={`${y} over ${x}`}>
        {ticks(x0, x1).map((t) => (
          <g key={t}>
            <line x1={px(t)} x2={px(t)} y1={PAD.top} y2={H - PAD.bottom} className="stroke-rule" />
            <text x={px(t)} y={H - PAD.bottom + 16} textAnchor="middle" className="fill-muted text-[12px]">
              {t}
            </text>
          </g>
        ))}
        {ticks(y0, y1, 5).map((t) => (
          <g key={t}>
            <line x1={PAD.left} x2={W - PAD.right} y1={py(t)} y2={py(t)} className="stroke-rule" />
            <text x={PAD.left - 6} y={py(t) + 4} textAnchor="end" className="fill-muted text-[12px]">
              {t}
            </text>
          </g>
        ))}
        {band && (
          <path
            d={`${line((v) => v)}${[...points].reverse().map((p) => `L${px(p[0]).toFixed(1)} ${py(-p[1]).toFixed(1)}`).join("")}Z`}
            className="fill-kelp-soft"
          />
        )}
        <path d={line((v) => v)} fill="none" className="stroke-water" strokeWidth="2.5" />
        {band && <path d={line((v) => -v)} fill="none" className="stroke-water" strokeWidth="2.5" />}
        {inside && <circle cx={px(there[0])} cy={py(there[1])} r="6" className="fill-page stroke-slate" strokeWidth="3" />}
        <text x={W - PAD.right} y={H - 4} textAnchor="end" className="fill-slate text-[13px]">
          {x}
        </text>
        <text x={PAD.left} y={H - 4} className="fill-slate text-[13px]">
          {y}, upwards
        </text>
      </svg>
    </figure>
  );
}
