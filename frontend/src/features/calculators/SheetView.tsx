import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { ArrowLeftRight, Star } from "lucide-react";
import { useState } from "react";
import { useNavigate } from "react-router";
import { ApiFailure, client, unwrap } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChoiceField, LongField, TextField } from "../../ui/fields";
import { Message } from "../../ui/Message";
import { useDraftForm } from "../../ui/useDraft";
import { CurvePlot } from "./CurvePlot";
import { shown, toInput, type Result, type Sheet } from "./sheet";
import { UseInRun } from "./UseInRun";

function post(name: string, body: Result): Promise<Result> {
  return unwrap(client.POST("/api/v1/calculators/{name}/", { params: { path: { name } }, body: body as never })) as Promise<Result>;
}

function Rows({ rows }: { rows: Result[] }) {
  const heads = Object.keys(rows[0] ?? {});
  return (
    <div className="overflow-x-auto">
      <table className="w-full text-[15px]">
        <thead>
          <tr className="border-b-2 border-slate text-sm">
            {heads.map((h) => (
              <th key={h} className="pr-3 font-normal">
                {h.replace(/_/g, " ")}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((r, n) => (
            <tr key={n} className="border-b border-rule">
              {heads.map((h) => (
                <td key={h} className="py-1 pr-3">
                  {Array.isArray(r[h]) ? (r[h] as unknown[]).map(shown).join(" + ") : shown(r[h])}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** One calculation: fields, result, curve, formula with its source. */
export function SheetView({ sheet, run, liked, onLike }: { sheet: Sheet; run: string; liked: boolean; onLike: () => void }) {
  const navigate = useNavigate();
  const [typed, set, clear] = useDraftForm(`calculators/${sheet.name}`);
  const [plotted, setPlotted] = useState(true);
  const input = toInput(sheet, typed);
  const key = JSON.stringify(input);
  const result = useQuery({ queryKey: ["calculate", sheet.name, key], queryFn: () => post(sheet.name, input), retry: false, placeholderData: keepPreviousData });
  const curve = useQuery({
    queryKey: ["curve", sheet.name, key],
    queryFn: () => unwrap(client.POST("/api/v1/calculators/{name}/plot/", { params: { path: { name: sheet.name } }, body: input as never })) as Promise<{ points: [number, number][] }>,
    enabled: Boolean(sheet.plot) && plotted,
    retry: false,
    placeholderData: keepPreviousData,
  });
  const failure = result.error instanceof ApiFailure ? result.error : null;
  const answer = failure ? undefined : result.data;
  const isOld = result.isPlaceholderData; // still of the values before
  // A refusal names the field as the command line does; on the page it is called by its label.
  const told = sheet.fields.reduce((text, f) => text.replace(new RegExp(`\\b${f.name}\\b(?=[\\s.[])`, "g"), f.label), failure?.message ?? "");
  const invert = () => {
    // What both directions share goes along; the result becomes what is asked.
    const shared = { ...typed };
    for (const o of sheet.outputs) if (typeof answer?.[o.name] === "number") shared[o.name] = String(answer[o.name]);
    try {
      localStorage.setItem(`draft:calculators/${sheet.inverse}`, JSON.stringify(shared));
    } catch {
      // Storage may be forbidden; the other direction then starts with its own values.
    }
    void navigate(`/calculators/${sheet.inverse}${run ? `?run=${run}` : ""}`);
  };
  const unitOf = (name: string) => sheet.outputs.find((o) => o.name === name) ?? sheet.fields.find((f) => f.name === name);
  return (
    <div className="max-w-4xl space-y-4">
      <div className="flex flex-wrap items-center gap-3">
        <h2 className="text-2xl font-bold">{sheet.title}</h2>
        <button type="button" onClick={onLike} aria-pressed={liked} className="inline-flex min-h-12 items-center gap-2 rounded-md px-3 font-bold text-water hover:bg-water-soft">
          <Star size={18} aria-hidden="true" fill={liked ? "currentColor" : "none"} /> {liked ? "Favourite" : "Make it a favourite"}
        </button>
        {sheet.inverse && (
          <Button onClick={invert}>
            <ArrowLeftRight size={18} aria-hidden="true" /> Other direction
          </Button>
        )}
        <Button kind="quiet" onClick={clear} className="ml-auto">
          Start values
        </Button>
      </div>
      <div className="grid gap-x-5 gap-y-3 sm:grid-cols-2 lg:grid-cols-3">
        {sheet.fields.map((f) => {
          // Not a numeric keyboard: "212 F" or "5 bar" is converted to the field's own unit.
          const common = { label: f.label, unit: f.unit, value: typed[f.name] ?? f.start, onChange: (v: string) => set(f.name, v), error: failure?.field.split(/[[.]/)[0] === f.name ? told : undefined };
          if (f.kind === "choice") return <ChoiceField key={f.name} {...common} options={f.options} />;
          if (f.kind === "rows" || f.kind === "list")
            return (
              <div key={f.name} className="sm:col-span-2 lg:col-span-3">
                {f.kind === "rows" ? <LongField {...common} rows={6} hint="One row a line." /> : <TextField {...common} />}
              </div>
            );
          return <TextField key={f.name} {...common} />;
        })}
      </div>
      <p className="text-sm text-muted">A number may carry another unit, like 212 F or 5 bar; it is converted.</p>
      {failure && !sheet.fields.some((f) => failure.field.split(/[[.]/)[0] === f.name) && <Message tone="out">{told}</Message>}
      <section aria-label="Result" role="status" aria-busy={isOld} className={`border-y-2 border-slate py-2 ${isOld ? "text-muted" : ""}`}>
        {isOld && <p className="text-sm font-bold">Being worked out; this is still the result of the values before.</p>}
        {answer ? (
          <dl className="grid gap-x-8 sm:grid-cols-2">
            {sheet.outputs
              .filter((o) => !Array.isArray(answer[o.name]))
              .map((o) => (
                <div key={o.name} className="flex items-baseline justify-between gap-4 border-b border-rule py-1">
                  <dt>{o.label}</dt>
                  <dd className="text-xl font-bold">
                    {shown(answer[o.name])} <span className="text-base font-normal">{o.unit}</span>
                  </dd>
                </div>
              ))}
          </dl>
        ) : (
          <p className="text-muted">{failure ? "No result with these values." : "Computing…"}</p>
        )}
        {answer && sheet.outputs.filter((o) => Array.isArray(answer[o.name])).map((o) => <Rows key={o.name} rows={answer[o.name] as Result[]} />)}
      </section>
      <p className="text-sm">
        <span className="block font-bold">{sheet.formula}</span>
        <span className="text-muted">Source: {sheet.source}.</span>
      </p>
      {run && answer && <UseInRun runId={run} sheet={sheet} answer={answer} onTake={(values) => Object.entries(values).forEach(([n, v]) => set(n, v))} />}
      {sheet.plot && (
        <div>
          <Button kind="quiet" onClick={() => setPlotted(!plotted)}>
            {plotted ? "Hide the curve" : "Show the curve"}
          </Button>
          {plotted && curve.data && (
            <CurvePlot
              points={curve.data.points}
              band={sheet.plot.band}
              at={Number(String(input[sheet.plot.over] ?? "").replace(",", "."))}
              x={`${unitOf(sheet.plot.over)?.label ?? ""} ${unitOf(sheet.plot.over)?.unit ?? ""}`}
              y={`${unitOf(sheet.plot.output)?.label ?? ""} ${unitOf(sheet.plot.output)?.unit ?? ""}`}
            />
          )}
        </div>
      )}
    </div>
  );
}
