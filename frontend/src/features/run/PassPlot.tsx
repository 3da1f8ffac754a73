import type { Step } from "../../api/client";

/** The passes as they converge: error before and after each turn, against the aim. */
export function PassPlot({ adjust }: { adjust: Pick<NonNullable<Step["adjust"]>, "passes" | "aim_percent"> }) {
  const width = 460;
  const height = 120;
  const top = Math.max(...adjust.passes.map((p) => p.scale), adjust.aim_percent * 1.5);
  const y = (error: number) => height / 2 - (error / top) * (height / 2 - 10);
  const step = Math.min(64, (width - 60) / adjust.passes.length);
  return (
    <figure>
      <figcaption className="font-bold">Passes converging, error in % of span{adjust.aim_percent > 0 && "; the band is the aim"}</figcaption>
      <svg viewBox={`0 0 ${width} ${height}`} className="w-full max-w-2xl" role="img" aria-label="Error before and after each turn; the table below says the same">
        <rect x="0" y={y(adjust.aim_percent)} width={width} height={y(-adjust.aim_percent) - y(adjust.aim_percent)} fill="var(--kelp-soft)" />
        <line x1="0" x2={width} y1={height / 2} y2={height / 2} stroke="var(--rule-strong)" />
        {adjust.passes.map((p, i) => {
          const x = 24 + i * step;
          return (
            <g key={i}>
              {p.after !== null && (
                <>
                  <line x1={x} x2={x + step * 0.4} y1={y(p.before)} y2={y(p.after)} stroke="var(--rule-strong)" strokeWidth="2" />
                  <rect x={x + step * 0.4 - 5} y={y(p.after) - 5} width="10" height="10" fill="var(--page)" stroke="var(--water)" strokeWidth="2.5" />
                </>
              )}
              <circle cx={x} cy={y(p.before)} r="5" fill="var(--water)" />
            </g>
          );
        })}
      </svg>
      <table className="w-full max-w-2xl text-sm">
        <thead>
          <tr className="border-b border-slate">
            <th>Pass</th>
            <th>Screw</th>
            <th className="text-right">Before (dot)</th>
            <th className="text-right">After (square)</th>
          </tr>
        </thead>
        <tbody>
          {adjust.passes.map((p, i) => (
            <tr key={i} className="border-b border-rule">
              <td>{p.pass_number}</td>
              <td>{p.screw}</td>
              <td className="text-right">{p.before_text}</td>
              <td className="text-right">{p.after_text}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </figure>
  );
}
