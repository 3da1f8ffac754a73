import { Braces, FileText, Sheet, ShieldCheck } from "lucide-react";
import { Link, useParams } from "react-router";
import type { Run } from "../../api/client";
import { useLog } from "../../api/queries";
import { useMay } from "../../app/session";
import { LinkButton } from "../../ui/Button";
import { day, moment } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Ring } from "../../ui/Ring";
import { Verdict } from "../../ui/Verdict";
import { GasEvidence } from "../gas/GasEvidence";
import { Criteria } from "../run/Criteria";
import { ErrorPlot } from "../run/ErrorPlot";
import { Budget } from "../run/Budget";
import { Chromatograms } from "../run/Chromatograms";
import { Holds, Kept, KitInUse, More, Pairs, Statistics } from "../run/Evidence";
import { Meanwhile } from "../run/Meanwhile";
import { PassPlot } from "../run/PassPlot";
import { Proofs } from "../run/Proofs";
import { ReadingTable } from "../run/ReadingTable";
import { useRun } from "../run/useRun";
import { CountersignForm } from "./CountersignForm";
import { ReviewPanel } from "./ReviewPanel";

const STATUS: Record<string, string> = {
  open: "under way",
  returned: "returned by the reviewer",
  signed: "signed, waiting for review",
  accepted: "signed and accepted",
  voided: "void",
};

function Summary({ run }: { run: Run }) {
  const v = run.view;
  const found = v.results.find((r) => r.phase === "as found");
  const left = v.results.find((r) => r.phase === "as left");
  return (
    <div className="grid gap-x-8 border-y-2 border-slate py-3 sm:grid-cols-3">
      <p>
        <span className="block text-sm text-muted">As found, {found?.share ?? "no readings"}</span>
        <span className="text-2xl">
          <Verdict verdict={found?.verdict ?? null} size={24} />
        </span>
      </p>
      <p>
        <span className="block text-sm text-muted">{left ? `As left, ${left.share}` : "As left"}</span>
        <span className="text-2xl">{left ? <Verdict verdict={left.verdict} size={24} /> : <span className="text-base">not adjusted: as found stands</span>}</span>
      </p>
      <p>
        <span className="block text-sm text-muted">Decided</span>
        {v.decisions.length ? v.decisions.map((d) => d.choice_label).join(", then ") : "nothing yet"}
      </p>
    </div>
  );
}

function Log({ id }: { id: string }) {
  const log = useLog(id);
  if (!log.data) return <Loading what="the log" />;
  return (
    <ol className="text-sm">
      {log.data.map((e) => (
        <li key={e.seq} className="grid grid-cols-[32px_150px_1fr] gap-2 border-b border-rule py-0.5">
          <span className="text-muted">{e.seq}</span>
          <span className="text-muted">{moment(e.at)}</span>
          <span className="break-words">
            {e.by} {e.what}
          </span>
        </li>
      ))}
    </ol>
  );
}

export function RecordPage() {
  const { id = "" } = useParams();
  const query = useRun(id);
  const mayReview = useMay("review a record");
  const mayWork = useMay("work on a run");
  const mayCountersign = useMay("countersign a record");
  if (query.isPending) return <Loading what="the record" />;
  if (query.isError && !query.data) {
    return (
      <div className="p-6">
        <Failure error={query.error} retry={() => void query.refetch()} />
      </div>
    );
  }
  const run = query.data;
  const v = run.view;
  const at = `/api/v1/runs/${run.id}`;
  return (
    <div className="mx-auto max-w-7xl p-4 lg:p-6">
      <div className="mb-4 flex flex-wrap items-center gap-3">
        <Ring closed={v.closed} size={40} state={v.status === "voided" ? "void" : undefined} />
        <h1 className="mr-auto leading-tight">
          <span className="text-2xl font-bold">
            {run.number} · {v.instrument.tag}
          </span>
          <span className="block">
            {v.instrument.service}, {STATUS[v.status] ?? v.status}
          </span>
          <span className="block text-sm text-muted">
            {/* What was sealed before plates were kept has none. */}
            {[`Serial ${v.instrument.serial}`, ...(v.instrument.plate ?? []).map((n) => `${n.name.toLowerCase()} ${n.value}`)].join(", ")}
          </span>
        </h1>
        {v.step && mayWork && (
          <LinkButton to={`/run/${run.id}`} kind="primary">
            Resume
          </LinkButton>
        )}
        <LinkButton href={`${at}/certificate.pdf`}>
          <FileText size={18} aria-hidden="true" /> Certificate (PDF)
        </LinkButton>
        <LinkButton href={`${at}/export.csv`}>
          <Sheet size={18} aria-hidden="true" /> CSV
        </LinkButton>
        <LinkButton href={`${at}/evidence.zip`}>
          <ShieldCheck size={18} aria-hidden="true" /> Evidence
        </LinkButton>
        <LinkButton href={`${at}/export.json`}>
          <Braces size={18} aria-hidden="true" /> JSON
        </LinkButton>
      </div>
      {run.broken && (
        <div className="mb-4">
          <Message tone="out" title="This record does not hold">
            {run.broken} Do not rely on it; tell whoever looks after the plant’s records.
          </Message>
        </div>
      )}
      <Meanwhile id={run.id} />
      <Summary run={run} />
      <Proofs run={run} />
      {mayReview && v.status === "signed" && <ReviewPanel run={run} />}
      {v.notes
        .filter((n) => n.kind === "returned")
        .map((n) => (
          <div key={n.at} className="mt-3">
            <Message tone="edge" title={`Returned by ${n.by}, ${moment(n.at)}`}>
              {n.text}
            </Message>
          </div>
        ))}
      {v.voided && (
        <div className="mt-3">
          <Message tone="out" title={`Voided by ${v.voided.by}, ${moment(v.voided.at)}`}>
            {v.voided.text}
          </Message>
        </div>
      )}
      <div className="mt-4 grid gap-8 lg:grid-cols-2">
        <div className="min-w-0">
          {v.evidence.length > 0 && <ErrorPlot sets={v.evidence} />}
          {v.evidence.flatMap((s) =>
            s.signatures.slice(0, 2).map((g) => (
              <p key={s.key + g.code} className="mt-2 border-l-4 border-water bg-water-soft px-3 py-2 text-sm">
                <strong>{s.title}:</strong> {g.says}{g.confidence && ` Confidence ${g.confidence}.`}
              </p>
            )),
          )}
          {v.adjustments.map((a) => (
            <section key={a.step} className="mt-5">
              <h2 className="border-b-2 border-slate font-bold">{a.title}</h2>
              <PassPlot adjust={{ passes: a.passes, aim_percent: 0 }} />
              {a.reason && <p className="text-sm">Stopped before both ends were inside the aim: {a.reason}</p>}
            </section>
          ))}
          {v.works.map((w) => (
            <p key={w.at} className="mt-3 border-l-4 border-rule-strong px-3 py-1 text-sm">
              Work done by {w.by}, {moment(w.at)}: {w.text}
            </p>
          ))}
          <h2 className="mt-5 border-b-2 border-slate font-bold">Kit in use</h2>
          <KitInUse view={v} />
          <div className="mt-2 space-y-2">
            <GasEvidence view={v} />
          </div>
          <h2 className="mt-5 border-b-2 border-slate font-bold">Signatures</h2>
          <ul className="text-sm">
            {v.signed && (
              <li className="border-b border-rule py-1">
                Signed by {v.signed.by}, {moment(v.signed.at)}. {v.signed.text}
              </li>
            )}
            {v.countersigned.map((n) => (
              <li key={n.by} className="border-b border-rule py-1">
                Countersigned by {n.by}, {n.kind}, {moment(n.at)}. {n.text}
              </li>
            ))}
            {v.reviewed && (
              <li className="border-b border-rule py-1">
                Accepted by {v.reviewed.by}, {moment(v.reviewed.at)}. {v.reviewed.text}
              </li>
            )}
            {v.seal.plant.next_due && (
              <li className="border-b border-rule py-1">
                Due next {day(v.seal.plant.next_due)}: {v.seal.plant.due_why}
              </li>
            )}
            {v.seal.says && <li className="border-b border-rule py-1">{v.seal.says}</li>}
            <li className="border-b border-rule py-1 break-all text-muted">Head of the event chain: {run.head}</li>
          </ul>
          {mayCountersign && v.can_countersign.length > 0 && (
            <More title="Countersign">
              <CountersignForm run={run} />
            </More>
          )}
        </div>
        <div className="min-w-0">
          {v.evidence.map((s) => (
            <section key={s.key} className="mb-4" aria-label={`${s.title} readings`}>
              <h2 className="flex items-baseline gap-3 font-bold">
                {s.title} <Verdict verdict={s.verdict} size={15} /> <span className="text-sm font-normal text-muted">{s.share}</span>
              </h2>
              <ReadingTable set={s} />
              <Criteria set={s} />
              {s.findings.length > 0 && (
                <More title={`What it tells: ${s.title}`} open>
                  <Pairs rows={s.findings} />
                </More>
              )}
              {s.statistics.length > 0 && (
                <More title={`Statistics: ${s.title}`}>
                  <Statistics set={s} />
                </More>
              )}
              <More title={`Uncertainty budget: ${s.title}`}>
                <Budget budget={s.budget} />
              </More>
            </section>
          ))}
          <Chromatograms view={v} />
          <Kept view={v} />
          <Holds view={v} open />
          <More title="Everything that happened">
            <Log id={run.id} />
          </More>
          <Link
            to={v.instrument.subject === "kit" ? `/kit/reference/${encodeURIComponent(v.instrument.tag)}` : `/plant/${encodeURIComponent(v.instrument.tag)}`}
            className="inline-flex min-h-12 items-center font-bold text-water underline"
          >
            {v.instrument.tag} in the {v.instrument.subject === "kit" ? "kit" : "plant"}
          </Link>
        </div>
      </div>
    </div>
  );
}
