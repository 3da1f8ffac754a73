import type { Schemas } from "../../api/client";
import { day } from "../../ui/format";
import { niceLimit } from "../run/ErrorPlot";

/** Largest error of each calibration over time: triangle as found, diamond as left; the table below says the same. */
export function HistoryPlot({ results, tolerance }: { results: Schemas["Result"][]; tolerance: string }) {
  const rows = results.filter((r) => r.signed_at && r.found_error !== null).reverse();
  if (rows.length < 2) return null;
  const W = 760;
  const H = 170;
  const times = rows.map((r) => Date.parse(r.signed_at ?? ""));
  const first = Math.min(...times);
  const spanMs = Math.max(...times) - first || 1;
  const limit = niceLimit(Math.max(...rows.flatMap((r) => [Math.abs(r.found_error ?? 0), Math.abs(r.left_error ?? 0)]), 0.1));
  const px = (t: number) => 60 + ((t - first) / spanMs) * (W - 110);
  const py = (e: number) => 12 + ((limit - e) / (2 * limit)) * (H - 44);
  const colour = (v: string) => ({ pass: "var(--kelp)", marginal: "var(--amber)", fail: "var(--iron)" })[v] ?? "var(--slate)";
  return (
    <figure>
      <svg viewBox={`0 0 ${W} ${H}`} className="w-full" role="img" aria-label="Largest error as found and as left over time; the table below says the same">
        {[-1, 0, 1].map((s) => (
          <g key={s}>
            <line x1="50" x2={W - 10} y1={py(s * limit)} y2={py(s * limit)} stroke={s ? "var(--rule)" : "var(--rule-strong)"} />
            <text x="44" y={py(s * limit) + 4} textAnchor="end" fontSize="12" fill="var(--muted)">
              {s ? `${s > 0 ? "+" : "−"}${limit}` : "0"}
            </text>
          </g>
        ))}
        {rows.map((r, i) => {
          const x = px(times[i] ?? first);
          const next = rows[i + 1];
          const y = py(r.found_error ?? 0);
          const left = py(r.left_error ?? 0);
          return (
            <g key={r.id}>
              {next && <line x1={x} y1={left} x2={px(times[i + 1] ?? first)} y2={py(next.found_error ?? 0)} stroke="var(--rule-strong)" />}
              <polygon points={`${x - 6},${y + 5} ${x + 6},${y + 5} ${x},${y - 7}`} fill={colour(r.found_verdict)} />
              {left !== y && (
                <polygon points={`${x},${left - 7} ${x + 7},${left} ${x},${left + 7} ${x - 7},${left}`} fill="var(--page)" stroke={colour(r.left_verdict)} strokeWidth="2.5" />
              )}
              <text x={x} y={H - 6} textAnchor="middle" fontSize="12" fill="var(--muted)">
                {day(r.signed_at)}
              </text>
            </g>
          );
        })}
      </svg>
      <figcaption className="text-sm text-muted">Largest error, % of span. Triangle: as found; diamond: as left after adjusting. Tolerance {tolerance}.</figcaption>
    </figure>
  );
}
