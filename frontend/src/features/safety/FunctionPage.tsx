import { TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { day, moment } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Verdict } from "../../ui/Verdict";
import { FunctionForm } from "./FunctionForm";
import { useFunction, useFunctions, type SafetyFunction } from "./functions";
import { Members } from "./Members";

/** A safety function: what was found beside what was assumed, its instruments, its proof tests. */
export function FunctionPage() {
  const { code = "" } = useParams();
  const query = useFunction(code);
  const mayEdit = useMay("edit the plant");
  const [edits, setEdits] = useState(false);
  if (query.isPending) return <Loading what="the function" />;
  if (query.isError) return <Failure error={query.error} />;
  const f = query.data;
  const done = () => setEdits(false);
  return (
    <div className="mx-auto max-w-7xl space-y-5 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">
          {f.code} {f.name}
          <span className="block text-base font-normal text-muted">
            {f.level}, {f.voting}. {f.mode}. {f.prevents}
          </span>
        </h1>
        {mayEdit && !edits && <Button onClick={() => setEdits(true)}>Change it</Button>}
        <LinkButton to="/safety">All functions</LinkButton>
      </div>
      {edits && <FunctionForm of={f} start={f.form} choices={f} onDone={done} onLeave={done} />}
      {f.overdue > 0 && (
        <Message tone="out" title={f.overdue === 1 ? "A proof test is overdue" : `${f.overdue} proof tests are overdue`}>
          What is assumed of this function counts on its tests being done in time.
        </Message>
      )}
      <div className="grid gap-8 lg:grid-cols-[26rem_minmax(0,1fr)]">
        <section aria-label="Figures">
          <h2 className="border-b-2 border-slate font-bold">In figures</h2>
          <dl>
            {f.figures.map((g) => (
              <div key={g.name} className="border-b border-rule py-2">
                <dt className="text-sm text-muted">{g.name}</dt>
                <dd className={`inline-flex items-center gap-2 text-lg font-bold ${g.is_met ? "" : "text-iron"}`}>
                  {!g.is_met && <TriangleAlert size={18} aria-hidden="true" />}
                  {g.value}
                </dd>
                <dd className="text-sm text-muted">{g.says}</dd>
              </div>
            ))}
          </dl>
          <p className="mt-3 border-l-4 border-amber bg-amber-soft px-3 py-2 text-sm">{f.caution}</p>
          {f.source && <p className="mt-2 text-sm text-muted">Assumed figures: {f.source}</p>}
        </section>
        <div className="min-w-0 space-y-5">
          <Members of={f} />
          <Tests of={f} />
          <details>
            <summary className="min-h-12 cursor-pointer py-3 font-bold text-water">Changes of the function</summary>
            {f.changes.map((c) => (
              <p key={c.at} className="border-b border-rule py-1 text-sm">
                {moment(c.at)}, {c.by}: {c.reason} {c.what}
              </p>
            ))}
          </details>
        </div>
      </div>
    </div>
  );
}

/** A new safety function. */
export function NewFunctionPage() {
  const navigate = useNavigate();
  const list = useFunctions();
  if (list.isPending) return <Loading what="the form" />;
  if (list.isError) return <Failure error={list.error} />;
  return (
    <div className="mx-auto max-w-6xl space-y-4 p-4 lg:p-6">
      <h1 className="text-2xl font-bold">A safety function</h1>
      <FunctionForm
        of={null}
        start={list.data.blank}
        choices={list.data}
        onDone={(now) => void navigate(`/safety/${encodeURIComponent(now.code)}`)}
        onLeave={() => void navigate("/safety")}
      />
    </div>
  );
}

function Tests({ of: f }: { of: SafetyFunction }) {
  return (
    <section aria-label="Proof tests">
      <h2 className="font-bold">Proof tests</h2>
      {f.tests.length === 0 ? (
        <p className="border-t-2 border-slate py-3 text-muted">None yet: the next calibration of its instruments asks for it.</p>
      ) : (
        <div className="overflow-x-auto">
          <table className="w-full text-[15px]">
            <thead>
              <tr className="border-b-2 border-slate text-sm">
                {["On", "Record", "Instrument", "Proved", "Required", "Tripped, as found", "As left", "In bypass"].map((h) => (
                  <th key={h} className="py-1 pr-3 font-normal">
                    {h}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {f.tests.map((t) => (
                <tr key={t.run} className="border-b border-rule">
                  <td className="py-1 pr-3 whitespace-nowrap">{day(t.on)}</td>
                  <td className="pr-3">
                    <Link to={`/records/${t.run}`} className="inline-flex min-h-12 items-center font-bold whitespace-nowrap text-water hover:underline">
                      {t.number}
                    </Link>
                  </td>
                  <td className="pr-3">{t.tag}</td>
                  <td className="pr-3">{t.path}</td>
                  <td className="pr-3 whitespace-nowrap">{t.required}</td>
                  <td className="pr-3">
                    {t.found} <Verdict verdict={t.found_verdict} size={16} />
                    {t.is_dangerous && <span className="block text-sm font-bold text-iron">would not have acted in time</span>}
                  </td>
                  <td className="pr-3">
                    {t.left} <Verdict verdict={t.left_verdict} size={16} />
                  </td>
                  <td className="whitespace-nowrap">{t.bypass}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </section>
  );
}

