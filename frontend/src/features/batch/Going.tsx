import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { HowFar } from "../live/HowFar";
import { Button } from "../../ui/Button";
import { clock } from "../../ui/format";
import { Message } from "../../ui/Message";

type Plan = Schemas["BatchPlan"];
type Auto = Schemas["Auto"];

function span(seconds: number): string {
  const s = Math.round(seconds);
  return s < 90 ? `${s} s` : `${Math.floor(s / 60)} min ${String(s % 60).padStart(2, "0")} s`;
}

/** Each block a band: heading for a point, soaking, being read; beside it the same as a table. */
export function PlanView({ plan }: { plan: Plan }) {
  const blocks = [...new Set(plan.turns.map((t) => t.block))];
  const total = Math.max(plan.finish_s, 1);
  const x = (s: number) => 110 + (s / total) * 860;
  const height = blocks.length * 44 + 26;
  return (
    <section aria-label="Plan of the batch" className="space-y-3">
      <p className="text-lg">
        About <strong>{span(plan.finish_s)}</strong>, against {span(plan.one_after_another_s)} one after another:{" "}
        <strong>{span(plan.saved_s)} saved</strong>.
      </p>
      <svg viewBox={`0 0 980 ${height}`} className="w-full" aria-hidden="true">
        {blocks.map((b, n) => (
          <g key={b} transform={`translate(0 ${n * 44})`}>
            <text x="0" y="26" className="fill-slate text-[16px] font-bold">
              {b}
            </text>
            {plan.turns
              .filter((t) => t.block === b)
              .map((t) => (
                <g key={t.start_s}>
                  <rect x={x(t.start_s)} y="8" width={Math.max(1, x(t.ready_s) - x(t.start_s))} height="28" className="fill-amber-soft stroke-amber" />
                  <text x={(x(t.start_s) + x(t.ready_s)) / 2} y="27" textAnchor="middle" className="fill-slate text-[14px]">
                    {t.point}
                  </text>
                  <rect x={x(t.read_s)} y="8" width={Math.max(3, x(t.done_s) - x(t.read_s))} height="28" className="fill-kelp" />
                </g>
              ))}
          </g>
        ))}
        <text x="110" y={height - 4} className="fill-muted text-[13px]">
          heading and soaking: light; read: dark
        </text>
      </svg>
      <table className="w-full text-[15px]">
        <thead>
          <tr className="border-b-2 border-slate text-sm">
            <th className="font-normal">Turn</th>
            <th className="font-normal">Block</th>
            <th className="font-normal">Point</th>
            <th className="font-normal">Sensors</th>
            <th className="text-right font-normal">Ready after</th>
            <th className="text-right font-normal">Read after</th>
          </tr>
        </thead>
        <tbody>
          {plan.turns.map((t, n) => (
            <tr key={`${t.block} ${t.point} ${t.start_s}`} className="border-b border-rule">
              <td>{n + 1}</td>
              <td>{t.block}</td>
              <td className="font-bold">{t.point}</td>
              <td>{t.sensors.join(", ")}</td>
              <td className="text-right">{span(t.ready_s)}</td>
              <td className="text-right">{span(t.read_s)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

export function Going({ auto, onStop, stopping }: { auto: Auto; onStop: () => void; stopping: boolean }) {
  const running = auto.status === "running";
  return (
    <section aria-label="Batch" className="space-y-3 border-t-4 border-water pt-3">
      <div className="flex flex-wrap items-center gap-4">
        <h2 className="text-xl font-bold">{running ? "Batch under way" : auto.status === "done" ? "Batch finished" : "Batch stopped"}</h2>
        <span className="text-muted">
          started {clock(auto.started_at)} by {auto.started_by}
          {auto.ended_at && `, ended ${clock(auto.ended_at)}`}
        </span>
        {running && <HowFar auto={auto} />}
        {running && (
          <Button onClick={onStop} disabled={stopping} className="ml-auto">
            Stop it
          </Button>
        )}
      </div>
      {!running && <Message tone={auto.status === "done" ? "info" : "edge"}>{auto.says}</Message>}
      {running && (
        <ul>
          {auto.lanes.map((l) => (
            <li key={l.label + l.says} className="border-b border-rule py-2">
              {l.says || "Starting."}
            </li>
          ))}
        </ul>
      )}
      <table className="w-full">
        <tbody>
          {auto.runs.map((r) => (
            <tr key={r.id} className="border-b border-rule">
              <td className="py-1">
                <Link to={`/run/${r.id}`} className="inline-flex min-h-12 items-center font-bold text-water underline">
                  {r.tag}
                </Link>
              </td>
              <td>
                {r.taken} of {r.total} points
              </td>
              <td className="w-1/2">
                <svg viewBox="0 0 100 4" preserveAspectRatio="none" className="h-4 w-full" aria-hidden="true">
                  <rect width="100" height="4" className="fill-rule" />
                  <rect width={(100 * r.taken) / r.total} height="4" className="fill-kelp" />
                </svg>
              </td>
              <td className="pl-3">{r.at_step}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {running && auto.runs.length > 1 && <PlanView plan={auto.plan} />}
    </section>
  );
}
