import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { useTrends } from "../../api/queries";
import { day } from "../../ui/format";

const W = 560;
const H = 150;
const LEFT = 54;

/** One followed value over time, between the limits it is heading for. A new worn part starts a new line. */
function Course({ trend }: { trend: Schemas["Trend"] }) {
  const values = trend.points.map((p) => p.value);
  const ends = [...values, ...(trend.low === null ? [] : [trend.low]), ...(trend.high === null ? [] : [trend.high])];
  const low = Math.min(...ends);
  const high = Math.max(...ends);
  const room = (high - low || 1) * 0.08;
  const times = trend.points.map((p) => Date.parse(p.on));
  const first = Math.min(...times);
  const width = Math.max(...times) - first || 1;
  const px = (t: number) => LEFT + 8 + ((t - first) / width) * (W - LEFT - 24);
  const py = (v: number) => 8 + ((high + room - v) / (high - low + 2 * room || 1)) * (H - 34);
  const lives = [...new Set(trend.points.map((p) => p.life))];
  return (
    <svg viewBox={`0 0 ${W} ${H}`} className="w-full max-w-2xl" role="img" aria-label={`${trend.label} over time, with its limits; the table beside it says the same`}>
      {[trend.low, trend.high].map(
        (limit, n) =>
          limit !== null && (
            <g key={n}>
              <line x1={LEFT} x2={W - 8} y1={py(limit)} y2={py(limit)} stroke="var(--iron)" strokeDasharray="5 4" strokeWidth="1.5" />
              <text x={LEFT - 6} y={py(limit) + 4} textAnchor="end" fontSize="12" fill="var(--iron)">
                {limit}
              </text>
            </g>
          ),
      )}
      {lives.map((life) => (
        <polyline
          key={life}
          fill="none"
          stroke="var(--rule-strong)"
          strokeWidth="2"
          points={trend.points
            .filter((p) => p.life === life)
            .map((p) => `${px(Date.parse(p.on))},${py(p.value)}`)
            .join(" ")}
        />
      ))}
      {trend.points.map((p) => (
        <circle key={p.run} cx={px(Date.parse(p.on))} cy={py(p.value)} r="4.5" fill={p.life === trend.life ? "var(--water)" : "var(--muted)"} />
      ))}
      {[0, times.length - 1].map((n) => (
        <text key={n} x={px(times[n] ?? first)} y={H - 6} textAnchor={n ? "end" : "start"} fontSize="12" fill="var(--muted)">
          {day(trend.points[n]?.on ?? null)}
        </text>
      ))}
    </svg>
  );
}

/** The course of what is followed from calibration to calibration, as found. */
export function Trends({ tag }: { tag: string }) {
  const trends = useTrends(tag).data ?? [];
  if (!trends.length) return null;
  return (
    <section aria-labelledby="trends" className="space-y-4">
      <h2 id="trends" className="border-b-2 border-slate text-lg font-bold">
        Followed from run to run
      </h2>
      {trends.map((t) => (
        <div key={t.name} className="grid gap-x-6 gap-y-1 lg:grid-cols-[minmax(0,1fr)_280px]">
          <div>
            <h3 className="font-bold">
              {t.label}, {t.unit}
            </h3>
            <Course trend={t} />
            <p>{t.says}</p>
          </div>
          <table className="self-start text-sm">
            <thead>
              <tr className="border-b border-slate">
                <th className="font-normal">As found</th>
                <th className="text-right font-normal">
                  {t.label}, {t.unit}
                </th>
              </tr>
            </thead>
            <tbody>
              {[...t.points]
                .reverse()
                .slice(0, 8)
                .map((p) => (
                  <tr key={p.run} className="border-b border-rule">
                    <td>
                      <Link to={`/records/${p.run}`} className="text-water underline">
                        {day(p.on)}
                      </Link>
                      {p.life !== t.life && <span className="text-muted"> {p.life}</span>}
                    </td>
                    <td className="text-right">{Math.abs(p.value) < 1 ? p.value.toFixed(3) : Number(p.value.toPrecision(5))}</td>
                  </tr>
                ))}
            </tbody>
          </table>
        </div>
      ))}
    </section>
  );
}
