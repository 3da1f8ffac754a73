import { Link, useParams } from "react-router";
import type { Schemas } from "../../api/client";
import { useSensorLife } from "../../api/queries";
import { LinkButton } from "../../ui/Button";
import { day } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";

type Channel = Schemas["LifeChannel"];

function LifePlot({ channel, end }: { channel: Channel; end: number }) {
  const W = 760;
  const H = 260;
  const last = Math.max(...channel.points.map((p) => p.day), ...channel.band.map((b) => b.day), 1);
  const top = Math.max(110, ...channel.points.map((p) => p.relative));
  const px = (d: number) => 60 + (d / last) * (W - 90);
  const py = (v: number) => 12 + ((top - Math.max(0, v)) / top) * (H - 50);
  const start = Date.parse(channel.points[0]?.at ?? "");
  const path = (pick: (b: Channel["band"][number]) => number) => channel.band.map((b) => `${px(b.day)},${py(Math.min(top, pick(b)))}`);
  return (
    <figure>
      <svg viewBox={`0 0 ${W} ${H}`} className="w-full" role="img" aria-label="Sensitivity of the sensor over time with its forecast; the table below says the same">
        {[0, 25, 50, 75, 100].map((v) => (
          <g key={v}>
            <line x1="52" x2={W - 20} y1={py(v)} y2={py(v)} stroke="var(--rule)" />
            <text x="46" y={py(v) + 4} textAnchor="end" fontSize="12" fill="var(--muted)">
              {v} %
            </text>
          </g>
        ))}
        {channel.band.length > 0 && (
          <>
            <polygon points={[...path((b) => b.low), ...path((b) => b.high).reverse()].join(" ")} fill="var(--water-soft)" />
            <polyline points={path((b) => b.fit).join(" ")} fill="none" stroke="var(--water)" strokeWidth="2" strokeDasharray="7 5" />
          </>
        )}
        <line x1="52" x2={W - 20} y1={py(end)} y2={py(end)} stroke="var(--iron)" strokeWidth="2" />
        <text x={62} y={py(end) + 16} textAnchor="start" fontSize="12" fill="var(--iron)">
          end of life, {end} %
        </text>
        {channel.earlier.map((e) => (
          <polyline key={e.life} points={e.points.map((p) => `${px(Math.min(p.day, last))},${py(Math.min(top, p.relative))}`).join(" ")} fill="none" stroke="var(--rule-strong)" strokeWidth="2" />
        ))}
        {channel.points.map((p) => (
          <circle key={p.day} cx={px(p.day)} cy={py(p.relative)} r="6" fill="var(--slate)" />
        ))}
        {[0, 0.5, 1].map((f) => (
          <text key={f} x={px(f * last)} y={H - 10} textAnchor={f === 0 ? "start" : f === 1 ? "end" : "middle"} fontSize="12" fill="var(--muted)">
            {day(new Date(start + f * last * 86_400_000).toISOString())}
          </text>
        ))}
      </svg>
      <figcaption className="text-sm text-muted">
        Dots: sensitivity at each calibration, in % of the first of this life. Dashed: the course that counts; shaded: where one more result would lie with 95 % certainty.
        {channel.earlier.length > 0 && " Grey: the lives before, from their first calibration."}
      </figcaption>
    </figure>
  );
}

/** How a detector's sensors age, as of the last calibration, and the date to plan their replacement for. */
export function SensorLifePage() {
  const { tag = "" } = useParams();
  const life = useSensorLife(tag);
  if (life.isPending) return <Loading what="the sensor's life" />;
  if (life.isError) return <Failure error={life.error} retry={() => void life.refetch()} />;
  return (
    <div className="mx-auto max-w-6xl space-y-6 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-4">
        <h1 className="text-2xl font-bold">Sensor life: {tag}</h1>
        <span className="ml-auto">
          <LinkButton to={`/plant/${encodeURIComponent(tag)}`}>Instrument</LinkButton>
        </span>
      </div>
      {!life.data.channels.length && (
        <Message>No signal of its sensor is on record yet. Note the raw signal at each exposure and its life is told here.</Message>
      )}
      {life.data.channels.map((c) => (
        <section key={c.channel} aria-label={c.channel || "Sensor"} className="space-y-3">
          <div className="grid gap-4 border-y-2 border-slate py-3 sm:grid-cols-4">
            <p>
              <span className="block text-sm text-muted">Sensitivity left</span>
              <span className="text-3xl font-bold">{c.relative_percent.toFixed(0)} %</span>
            </p>
            <p>
              <span className="block text-sm text-muted">Of that until its end</span>
              <span className="text-3xl font-bold">{c.remaining_percent.toFixed(0)} %</span>
            </p>
            <p>
              <span className="block text-sm text-muted">Plan to replace by</span>
              <span className="text-3xl font-bold text-water">{c.replace_by ? day(c.replace_by) : "no date yet"}</span>
              {c.ends.length > 0 && <span className="block text-sm">{c.ends.map((e) => `by ${e.by} ${day(e.on)}`).join(", ")}</span>}
            </p>
            <p>
              <span className="block text-sm text-muted">As of the last calibration</span>
              <span className="text-xl font-bold">{day(c.as_of)}</span>
            </p>
          </div>
          <p className="max-w-prose">{c.says}</p>
          <LifePlot channel={c} end={life.data.end_percent} />
          <p className="text-sm text-muted">
            {c.model && `Course: ${c.model} (${c.criterion}). `}
            Gas seen in calibrations of this life: dose {c.dose.toPrecision(3)} {c.unit} h in {c.hours.toFixed(1)} h. Sensor: {c.life === "first" ? "the first on record" : c.life}
            {c.lives_before > 0 && `, ${c.lives_before} before it`}.
          </p>
          <table className="w-full bg-page">
            <thead>
              <tr className="border-b-2 border-slate">
                <th className="py-2 pl-3">Calibration</th>
                <th>When</th>
                <th className="num">Signal</th>
                <th className="num">Of the first</th>
                <th className="num pr-3">T90</th>
              </tr>
            </thead>
            <tbody>
              {[...c.points].reverse().map((p) => (
                <tr key={p.run} className="border-b border-rule">
                  <td className="pl-3">
                    <Link to={`/records/${p.run}`} className="inline-flex min-h-12 items-center font-bold text-water underline-offset-4 hover:underline">
                      {p.number}
                    </Link>
                  </td>
                  <td>{day(p.at)}</td>
                  <td className="num">{p.signal}</td>
                  <td className="num">{p.relative.toFixed(1)} %</td>
                  <td className="num pr-3">{p.t90_s === null ? "" : `${p.t90_s.toFixed(0)} s`}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </section>
      ))}
    </div>
  );
}
