import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/react";
import { ChevronDown, Strikethrough } from "lucide-react";
import { useState, type ReactNode } from "react";
import type { ReadingSet, Run, RunView } from "../../api/client";
import { useMay } from "../../app/session";
import { clock, day } from "../../ui/format";
import { Verdict } from "../../ui/Verdict";
import { Budget } from "./Budget";
import { Chromatograms } from "./Chromatograms";
import { Criteria } from "./Criteria";
import { ErrorPlot } from "./ErrorPlot";
import { Hookup } from "./Hookup";
import { PassPlot } from "./PassPlot";
import { Proofs } from "./Proofs";
import { ReadingTable } from "./ReadingTable";
import { StrikeDialog } from "./RunDialogs";
import { pointAfter, useNotStored } from "./useEntries";
import { ResultTable } from "./ResultTable";
import { GasEvidence } from "../gas/GasEvidence";

export function More({ title, children, open = false }: { title: ReactNode; children: ReactNode; open?: boolean }) {
  return (
    <Disclosure defaultOpen={open} as="section" className="border-b border-rule">
      <DisclosureButton className="group flex min-h-12 w-full items-center justify-between gap-3 text-left font-bold">
        <span>{title}</span>
        <ChevronDown size={20} aria-hidden="true" className="shrink-0 group-data-open:rotate-180" />
      </DisclosureButton>
      <DisclosurePanel className="pb-3">{children}</DisclosurePanel>
    </Disclosure>
  );
}

export function Pairs({ rows }: { rows: { name: string; value: string }[] }) {
  return (
    <dl className="grid grid-cols-[1fr_auto] gap-x-4 text-sm">
      {rows.map((s) => (
        <div key={s.name} className="contents">
          <dt className="border-b border-rule py-0.5">{s.name}</dt>
          <dd className="border-b border-rule py-0.5 text-right font-bold">{s.value}</dd>
        </div>
      ))}
    </dl>
  );
}

export function Statistics({ set }: { set: ReadingSet }) {
  return <Pairs rows={set.statistics} />;
}

export function KitInUse({ view }: { view: RunView }) {
  return (
    <ul className="text-sm">
      {view.references.map((r) => (
        <li key={r.role} className="border-b border-rule py-1">
          <span className="text-muted">{r.label}: </span>
          {r.code ? (
            <>
              <strong>{r.code}</strong> {r.name}, in date to {day(r.due_on)}
              {r.tur && `, TUR ${r.tur}`}
              {r.override && <strong className="text-amber"> Out of date, {r.override.name} let it be used.</strong>}
            </>
          ) : (
            "not chosen yet"
          )}
        </li>
      ))}
      {view.items.map((i) => (
        <li key={i.role} className="border-b border-rule py-1">
          <span className="text-muted">{i.label}: </span>
          <strong>{i.shows}</strong>
          {i.reason && ` ${i.reason}`}
        </li>
      ))}
      {view.earlier.map((e) => (
        <li key={e.role + e.code} className="border-b border-rule py-1">
          <span className="text-muted">Before it was changed: </span>
          {e.code} {e.name}, for {e.used_for}
        </li>
      ))}
      {view.reopened.map((r) => (
        <li key={r.at ?? r.title} className="border-b border-rule py-1">
          <span className="text-muted">Opened again by {r.by}: </span>
          {r.title}. {r.reason}
        </li>
      ))}
    </ul>
  );
}

/** How the plant was kept from acting on the signal: holds, or why none was placed. Nothing while that is not told. */
export function Holds({ view, open = false }: { view: RunView; open?: boolean }) {
  if (!view.holds.length && !view.unheld.length) return null;
  return (
    <More title="Holds" open={open}>
    <ul className="text-sm">
      {view.unheld.map((n) => (
        <li key={n.at} className="border-b border-rule py-1">
          <strong>{n.kind}</strong> {clock(n.at)} by {n.by}: {n.text}
        </li>
      ))}
      {view.holds.map((h) => (
        <li key={h.id} className="border-b border-rule py-1">
          <strong>{h.kind}</strong> on {clock(h.placed_at)} by {h.placed_by},{" "}
          {h.released_at ? `off ${clock(h.released_at)} by ${h.released_by}` : `planned until ${clock(h.until)}, still on`}
        </li>
      ))}
    </ul>
    </More>
  );
}

function SetBlock({ set, onStrike, waits }: { set: ReadingSet; onStrike?: () => void; waits: boolean }) {
  return (
    <section aria-label={`${set.title} readings`} className="pb-2">
      <h3 className="flex items-baseline gap-3 pt-2 font-bold">
        {set.title} <Verdict verdict={set.verdict} size={15} />
        <span className="text-sm font-normal text-muted">{set.share}</span>
      </h3>
      <ReadingTable set={set} />
      <Criteria set={set} />
      {onStrike && (
        <button
          type="button"
          onClick={onStrike}
          disabled={waits} // one is on its way: the last one on the page is not the last one entered
          className="mt-1 inline-flex min-h-12 items-center gap-2 rounded-md px-2 font-bold text-water hover:bg-water-soft disabled:text-muted"
        >
          <Strikethrough size={18} aria-hidden="true" /> Strike a reading
        </button>
      )}
    </section>
  );
}

/** What was computed, which parameters were kept, and what was done through the communication. */
export function Kept({ view }: { view: RunView }) {
  return (
    <>
      {view.noted.length > 0 && (
        <More title="What was entered, step by step">
          {view.noted.map((n) => (
            <div key={n.title + (n.at ?? "")} className="pb-2">
              <p className="font-bold">
                {n.title}{" "}
                <span className="text-sm font-normal text-muted">
                  {n.by}, {clock(n.at)}
                </span>
              </p>
              <Pairs rows={n.rows} />
            </div>
          ))}
        </More>
      )}
      {view.computed.map((c) => (
        <More key={c.title} title={c.title}>
          <p className="text-sm">{c.says}</p>
          {c.reason && <p className="text-sm font-bold text-amber">Gone on all the same: {c.reason}</p>}
          <ResultTable head={c.head} rows={c.rows} />
        </More>
      ))}
      {view.parameters.map((p) => (
        <More key={(p.at ?? "") + p.kind} title={`Parameters ${p.kind}, ${clock(p.at)}`}>
          <p className="text-sm text-muted">
            {p.source}, {p.by}
          </p>
          <Pairs rows={p.values} />
        </More>
      ))}
      {view.acts.length > 0 && (
        <More title={`Done through its communication (${view.acts.length})`}>
          <ul className="text-sm">
            {view.acts.map((a) => (
              <li key={(a.at ?? "") + a.words} className="border-b border-rule py-1">
                {clock(a.at)} {a.by} {a.words}
              </li>
            ))}
          </ul>
        </More>
      )}
    </>
  );
}

/** The evidence as it grows: plot, readings, what kind of error, holds, kit. */
export function Evidence({ run }: { run: Run }) {
  const view = run.view;
  const [striking, setStriking] = useState(false);
  const notStored = useNotStored(run.id);
  const mayWork = useMay("work on a run");
  const sets = view.evidence;
  const current = view.step?.kind === "readings" ? view.step.key : view.step?.kind === "judge" ? sets.at(-1)?.key : null;
  const asked = view.step?.readings?.next;
  const next = asked && pointAfter(asked, notStored);
  const last = sets.at(-1);
  const adjust = view.step?.adjust;
  const signature = last?.signatures[0];
  const hookup = view.step?.readings?.hookup;
  return (
    <aside aria-label="Evidence" className="min-h-0 overflow-y-auto bg-page px-4 py-2 max-lg:border-t-2 max-lg:border-slate">
      {adjust && adjust.passes.length > 0 && <PassPlot adjust={adjust} />}
      {hookup && (
        <More key={String(sets.length > 0)} title="How it is connected" open={!sets.length}>
          <Hookup hookup={hookup} />
        </More>
      )}
      {sets.length > 0 ? (
        <ErrorPlot sets={sets} nextPercent={next?.percent ? parseFloat(next.percent) : undefined} />
      ) : hookup ? null : (
        <p className="border-b border-rule py-3 text-muted">The error plot grows here as readings come in.</p>
      )}
      {signature && view.step?.kind !== "judge" && (
        <p className="mt-2 border-l-4 border-water bg-water-soft px-3 py-2 text-sm">
          <strong>{signature.says}</strong> {signature.confidence ? `Confidence ${signature.confidence}.` : signature.first_action}
        </p>
      )}
      <Proofs run={run} />
      <Chromatograms view={view} />
      {[...sets].reverse().map((s) => (
        <SetBlock key={s.key} set={s} waits={notStored > 0} onStrike={mayWork && s.key === current && s.rows.some((r) => !r.struck) ? () => setStriking(true) : undefined} />
      ))}
      {sets.map(
        (s) =>
          s.findings.length > 0 && (
            <More key={s.key} title={`${s.title}: what it tells`} open={s === last}>
              <Pairs rows={s.findings} />
            </More>
          ),
      )}
      <Kept view={view} />
      {last && last.statistics.length > 0 && (
        <More title="Statistics">
          <Statistics set={last} />
        </More>
      )}
      {last && (
        <More title="Uncertainty budget">
          <Budget budget={last.budget} />
        </More>
      )}
      <More title="Kit in use" open={!sets.length}>
        <KitInUse view={view} />
      </More>
      <GasEvidence view={view} />
      <Holds view={view} open={!sets.length} />
      <More title="Policies in force">
        <ul className="text-sm">
          {view.policies.map((p) => (
            <li key={p} className="border-b border-rule py-1">
              {p}
            </li>
          ))}
        </ul>
      </More>
      <More title={view.blocks.length ? `Before it can be signed: ${view.blocks.length} things` : "Nothing blocks signing"}>
        <ul className="text-sm">
          {view.blocks.map((b) => (
            <li key={b} className="border-b border-rule py-1">
              {b}
            </li>
          ))}
        </ul>
      </More>
      {view.notes.length > 0 && (
        <More title={`Notes (${view.notes.length})`}>
          <ul className="text-sm">
            {view.notes.map((n) => (
              <li key={(n.at ?? "") + n.text} className="border-b border-rule py-1 break-words">
                {clock(n.at)} {n.by}, {n.kind}: {n.text}
              </li>
            ))}
          </ul>
        </More>
      )}
      {striking && current && <StrikeDialog run={run} set={current} onClose={() => setStriking(false)} />}
    </aside>
  );
}
