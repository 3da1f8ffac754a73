import type { ReadingSet, Row } from "../../api/client";

const W = 460;
const H = 250;
const LEFT = 60;
const BOTTOM = 34;
const TOP = 8;
const RIGHT = 8;
const COLOURS: Record<string, string> = { pass: "var(--kelp)", marginal: "var(--amber)", fail: "var(--iron)" };

/** The least of 1, 2, 2.5, 5 times a power of ten that leaves some room above `worst`. */
export function niceLimit(worst: number): number {
  for (let size = 0.001; size < 1e6; size *= 10) {
    for (const m of [1, 2, 2.5, 5]) if (m * size >= worst * 1.1) return m * size;
  }
  return worst;
}

/** Shape of a reading: as found a triangle pointing the way it was approached; as left a diamond (up) or a square (down). */
function Mark({ x, y, phase, direction, colour }: { x: number; y: number; phase: string; direction: string; colour: string }) {
  const r = 6;
  if (phase === "as found") {
    const tip = direction === "up" ? -r : r;
    return <polygon points={`${x - r},${y - tip * 0.8} ${x + r},${y - tip * 0.8} ${x},${y + tip}`} fill={colour} stroke="var(--page)" strokeWidth="1" />;
  }
  const shape = direction === "up" ? `${x},${y - r} ${x + r},${y} ${x},${y + r} ${x - r},${y}` : `${x - 5},${y - 5} ${x + 5},${y - 5} ${x + 5},${y + 5} ${x - 5},${y + 5}`;
  return <polygon points={shape} fill="var(--page)" stroke={colour} strokeWidth="2.5" />;
}

/** Ways a set is read in; one where it has no direction. */
function waysOf(set: ReadingSet): string[] {
  return set.columns.some((c) => c.key === "direction") ? ["up", "down"] : ["up"];
}

function plotted(set: ReadingSet): (Row & { x: number; y: number })[] {
  return set.rows.filter((r): r is Row & { x: number; y: number } => r.x !== null && r.y !== null);
}

/** A line a way and, where several are read at each point, a display: named at its last reading. */
function linesOf(set: ReadingSet) {
  const rows = plotted(set);
  const isNamed = set.plot.names_lines ?? false;
  const channels = isNamed ? [...new Set(rows.map((r) => r.channel))] : [""];
  return ["up", "down"].flatMap((way) =>
    channels.flatMap((channel) => {
      const mine = rows.filter((r) => r.direction === way && (!isNamed || r.channel === channel));
      const last = mine.at(-1);
      return last ? [{ key: `${set.key} ${way} ${channel}`, rows: mine, last, name: channel }] : [];
    }),
  );
}

/** Errors against the tolerance corridor, growing as readings come in. The table beside it says the same. */
export function ErrorPlot({ sets, nextPercent }: { sets: ReadingSet[]; nextPercent?: number }) {
  const words = sets[0]?.plot;
  const corridor = sets[0]?.corridor ?? [];
  if (!words || !corridor.length) return null;
  const widest = Math.max(...corridor.map((c) => c.tolerance), 1e-6);
  const worst = Math.max(widest, ...sets.flatMap(plotted).map((r) => Math.abs(r.y)));
  const limit = niceLimit(Math.min(worst, 4 * widest));
  const px = (percent: number) => LEFT + ((W - LEFT - RIGHT) * (percent + 4)) / 108;
  const py = (error: number) => TOP + ((H - TOP - BOTTOM) * (limit - Math.max(-limit, Math.min(limit, error)))) / (2 * limit);
  const edge = (sign: number, key: "tolerance" | "adjust_limit") => corridor.map((c) => `${px(c.x)},${py(sign * c[key])}`).join(" ");
  return (
    <figure>
      <svg viewBox={`0 0 ${W} ${H}`} className="w-full" role="img" aria-label={`${words.y} at each point, with the tolerance corridor. The table below says the same.`}>
        <polygon points={`${edge(1, "tolerance")} ${corridor.map((c) => `${px(c.x)},${py(-c.tolerance)}`).reverse().join(" ")}`} fill="var(--kelp-soft)" />
        {[-1, -0.5, 0, 0.5, 1].map((s) => (
          <g key={s}>
            <line x1={LEFT} x2={W - RIGHT} y1={py(s * limit)} y2={py(s * limit)} stroke={s === 0 ? "var(--rule-strong)" : "var(--rule)"} />
            <text x={LEFT - 6} y={py(s * limit) + 4} textAnchor="end" fontSize="12" fill="var(--muted)">
              {s === 0 ? "0" : `${s > 0 ? "+" : "−"}${Number((Math.abs(s) * limit).toPrecision(3))}`}
            </text>
          </g>
        ))}
        {words.ticks.map((tick) => (
          <text key={tick.x} x={px(tick.x)} y={H - BOTTOM + 16} textAnchor="middle" fontSize="12" fill="var(--muted)">
            {tick.label}
          </text>
        ))}
        <text x={(LEFT + W) / 2} y={H - 4} textAnchor="middle" fontSize="12" fill="var(--muted)">
          {words.x}
        </text>
        <text transform={`translate(12 ${(H - BOTTOM) / 2}) rotate(-90)`} textAnchor="middle" fontSize="12" fill="var(--muted)">
          {words.y}
        </text>
        {[1, -1].map((s) => (
          <g key={s} fill="none">
            <polyline points={edge(s, "tolerance")} stroke="var(--kelp)" strokeWidth="2" />
            <polyline points={edge(s, "adjust_limit")} stroke="var(--amber)" strokeWidth="1.5" strokeDasharray="5 4" />
          </g>
        ))}
        {nextPercent !== undefined && (
          <line x1={px(nextPercent)} x2={px(nextPercent)} y1={TOP} y2={H - BOTTOM} stroke="var(--water)" strokeWidth="2" strokeDasharray="2 4" />
        )}
        {sets.flatMap(linesOf).map((l) => (
          <g key={l.key}>
            <polyline fill="none" stroke="var(--rule-strong)" points={l.rows.map((r) => `${px(r.x)},${py(r.y)}`).join(" ")} />
            {l.name && (
              <text x={Math.min(px(l.last.x) + 9, W - RIGHT)} y={py(l.last.y) - 7} textAnchor={l.last.x > 60 ? "end" : "start"} fontSize="12" fill="var(--slate)">
                {l.name}
              </text>
            )}
          </g>
        ))}
        {sets.map((s) =>
          plotted(s).map((r) => (
            <Mark
              key={r.id}
              x={px(r.x + (r.direction === "up" ? -1 : 1))}
              y={py(r.y)}
              phase={s.phase}
              direction={r.direction}
              colour={COLOURS[r.verdict ?? ""] ?? "var(--slate)"}
            />
          )),
        )}
      </svg>
      <figcaption className="flex flex-wrap gap-x-4 text-sm">
        {sets.map((s) =>
          waysOf(s).map((d) => (
            <span key={s.key + d} className="inline-flex items-center gap-1">
              <svg width="16" height="16" aria-hidden="true">
                <Mark x={8} y={8} phase={s.phase} direction={d} colour="var(--slate)" />
              </svg>
              {s.title}
              {waysOf(s).length > 1 && `, ${d}`}
            </span>
          )),
        )}
        <span className="inline-flex items-center gap-1">
          <span className="h-0.5 w-5 bg-kelp" aria-hidden="true" /> tolerance
        </span>
        <span className="inline-flex items-center gap-1">
          <span className="w-5 border-t-2 border-dashed border-amber" aria-hidden="true" /> adjust limit
        </span>
      </figcaption>
    </figure>
  );
}
