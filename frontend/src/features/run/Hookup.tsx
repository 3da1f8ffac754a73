import type { Step } from "../../api/client";

type Drawn = NonNullable<NonNullable<Step["readings"]>["hookup"]>;
type Line = Drawn["lines"][number];

const WIDTH = 440; // as wide as the pane it stands in, so that its letters are as large as the others
const BOX = { width: 104, height: 56, y: 28 };
const MIDDLE = BOX.y + BOX.height / 2;

/** A valve as two triangles tip to tip: filled where it is shut. */
function Valve({ x, y, name, isShut }: { x: number; y: number; name: string; isShut: boolean }) {
  return (
    <g>
      <path d={`M${x - 9} ${y - 7} L${x + 9} ${y + 7} L${x + 9} ${y - 7} L${x - 9} ${y + 7} Z`} className={isShut ? "fill-slate stroke-slate" : "fill-page stroke-slate"} strokeWidth={2} />
      <text x={x} y={y + 24} textAnchor="middle" className="fill-slate text-[13px]">
        {name}
      </text>
      <text x={x} y={y + 39} textAnchor="middle" className="fill-slate text-[13px] font-bold">
        {isShut ? "shut" : "open"}
      </text>
    </g>
  );
}

/** Lines from one box to the next: as many as there are wires, with their poles and what stands in them. */
function Between({ line, from, to }: { line: Line; from: number; to: number }) {
  const count = Math.max(1, line.wires);
  const gap = count > 1 ? Math.min(16, 44 / (count - 1)) : 0;
  const ys = Array.from({ length: count }, (_, n) => MIDDLE + (n - (count - 1) / 2) * gap);
  const middle = (from + to) / 2;
  const stroke = line.kind === "tube" ? 6 : 2;
  return (
    <g>
      {ys.map((y) => (
        <line key={y} x1={from} x2={to} y1={y} y2={y} strokeWidth={stroke} strokeDasharray={line.kind === "hook" || line.kind === "well" ? "5 4" : undefined} className="stroke-water" />
      ))}
      {line.poles && (
        <g className="fill-slate text-[15px] font-bold">
          <text x={from + 5} y={(ys[0] ?? 0) - 4}>+</text>
          <text x={to - 13} y={(ys[0] ?? 0) - 4}>+</text>
          <text x={from + 5} y={(ys.at(-1) ?? 0) + 14}>−</text>
          <text x={to - 13} y={(ys.at(-1) ?? 0) + 14}>−</text>
        </g>
      )}
      {line.resistor && (
        <g>
          <rect x={middle - 22} y={(ys[0] ?? 0) - 7} width={44} height={14} className="fill-page stroke-slate" strokeWidth={2} />
          <text x={middle} y={BOX.y + BOX.height + 14} textAnchor="middle" className="fill-slate text-[13px] font-bold">
            {line.resistor}
          </text>
        </g>
      )}
      <text x={middle} y={BOX.y - 10} textAnchor="middle" className="fill-slate text-[13px]">
        {line.label}
      </text>
    </g>
  );
}

/** What is connected to what, drawn, and the same in words. */
export function Hookup({ hookup }: { hookup: Drawn }) {
  const boxes = hookup.boxes.length;
  const space = boxes > 1 ? (WIDTH - boxes * BOX.width) / (boxes - 1) : 0;
  const left = (n: number) => n * (BOX.width + space);
  const valves = hookup.lines.flatMap((l) => l.valves);
  const height = valves.length ? 182 : hookup.lines.some((l) => l.resistor) ? 106 : 94;
  return (
    <figure className="space-y-2">
      <svg viewBox={`0 0 ${WIDTH} ${height}`} className="w-full" role="img" aria-label={`Connected: ${hookup.boxes.map((b) => `${b.title} ${b.code}`.trim()).join(", ")}`}>
        {hookup.lines.map((line, n) => (
          <Between key={n} line={line} from={left(n) + BOX.width} to={left(n + 1)} />
        ))}
        {hookup.boxes.map((b, n) => (
          <g key={b.title}>
            <rect x={left(n) + 1} y={BOX.y} width={BOX.width - 2} height={BOX.height} className="fill-salt stroke-slate" strokeWidth={2} />
            <text x={left(n) + BOX.width / 2} y={MIDDLE - (b.code ? 6 : -4)} textAnchor="middle" className="fill-slate text-[13px]">
              {b.title}
            </text>
            {b.code && (
              <text x={left(n) + BOX.width / 2} y={MIDDLE + 14} textAnchor="middle" className="fill-slate text-[14px] font-bold">
                {b.code}
              </text>
            )}
          </g>
        ))}
        {valves.length > 0 && <line x1={left(1) + BOX.width / 2} x2={left(1) + BOX.width / 2} y1={BOX.y + BOX.height} y2={122} className="stroke-water" strokeWidth={6} />}
        {valves.length > 0 && <line x1={valveX(0, valves.length) - 40} x2={valveX(valves.length - 1, valves.length) + 40} y1={128} y2={128} className="stroke-water" strokeWidth={6} />}
        {valves.map((v, n) => (
          <Valve key={v.name} x={valveX(n, valves.length)} y={128} name={v.name} isShut={v.state === "shut"} />
        ))}
      </svg>
      <figcaption className="space-y-1 text-sm">
        {hookup.says.map((s) => (
          <p key={s}>{s}</p>
        ))}
      </figcaption>
    </figure>
  );
}

function valveX(n: number, count: number): number {
  return WIDTH / 2 + (n - (count - 1) / 2) * 106;
}
