import { Lock, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Link, useParams } from "react-router";
import { ApiFailure } from "../../api/client";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { day } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Ring } from "../../ui/Ring";
import { NotStarted } from "../today/NotStarted";
import { useStart } from "../today/useStart";
import { hm, usePlan, usePlanActs, type RoundJob, type WorkRound } from "./plans";
import { Timeline } from "./Timeline";

const STATUS: Record<string, string> = { draft: "not built yet", solving: "is being built", planned: "built", "under way": "under way", closed: "closed" };

function Result({ round }: { round: WorkRound }) {
  const r = round.result;
  const last = r.progress.at(-1);
  if (round.status === "solving")
    return (
      <div role="status" className="space-y-1">
        <p className="text-lg">
          {last ? (
            <>
              So far <strong>{last.jobs} jobs</strong>, worth {last.value} of at most {last.bound.toFixed(0)}, after {last.seconds.toFixed(0)} s.
            </>
          ) : (
            "Looking for a first plan…"
          )}
        </p>
        <progress className="h-3 w-full" value={last?.value} max={last?.bound} aria-label="Worth so far" />
      </div>
    );
  return (
    <>
      {r.says && (
        <Message tone="out" title={r.says}>
          {r.clash.length > 0 && (
            <ul className="list-disc pl-5">
              {r.clash.map((c) => (
                <li key={c}>{c}</li>
              ))}
            </ul>
          )}
          {r.clash.length > 0 && <p>None of these can be left away and the rest still clash. Change one of them and build it again; the plan before stands.</p>}
        </Message>
      )}
      {r.value !== null && (
        <p>
          <strong>
            {round.planned} of {round.total} jobs
          </strong>{" "}
          in {r.seconds?.toFixed(0)} s. {r.is_best ? "No other plan does more that is urgent." : `At most ${r.gap_percent?.toFixed(1)} % below the best there can be.`}{" "}
          {r.walked_min > 0 && `On the way ${r.walked_min} min, ${r.tour_min} at the least. `}
          {r.saved_min > 0 && `Working on while others warm up saves ${r.saved_min} min against one after another.`}
        </p>
      )}
    </>
  );
}

function JobPanel({ round, job, onDone }: { round: WorkRound; job: RoundJob; onDone: () => void }) {
  const { change } = usePlanActs(round.id);
  const first = job.tasks[0];
  const [person, setPerson] = useState(first?.people[0] ?? round.crew[0]?.username ?? "");
  const [start, setStart] = useState(first ? hm(first.start) : "");
  const [why, setWhy] = useState("");
  const asksWhy = change.error instanceof ApiFailure && change.error.details.needs_reason === true;
  const swap = change.error instanceof ApiFailure && Array.isArray(change.error.details.swap);
  const takeOut = () => change.mutate({ tag: job.tag, remove: true, reason: why }, { onSuccess: onDone });
  return (
    <section aria-label={`Job ${job.tag}`} className="space-y-3 border-l-8 border-water bg-page p-3">
      <p>
        <strong>{job.tag}</strong> {job.service}, {job.area}. {job.kit.length > 0 && `With ${job.kit.join(", ")}.`} {job.why_left}
      </p>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          change.mutate({ tag: job.tag, person, start });
        }}
      >
        <div className="w-52">
          <ChoiceField label="Who" value={person} onChange={setPerson} options={round.crew.map((c) => ({ value: c.username, label: c.name }))} />
        </div>
        <div className="w-28">
          <TextField label="Start" value={start} onChange={setStart} placeholder="07:30" />
        </div>
        <Button type="submit" disabled={change.isPending || !start}>
          Move it there
        </Button>
        {job.tasks.length > 0 && <Button onClick={() => change.mutate({ tag: job.tag, is_locked: !job.is_locked })}>{job.is_locked ? "Unlock" : "Lock"}</Button>}
        <Button onClick={() => change.mutate({ tag: job.tag, is_must: !job.is_must })}>{job.is_must ? "Not a must" : "Must be done"}</Button>
        <Button kind="danger" onClick={takeOut} disabled={change.isPending}>
          Take it out
        </Button>
      </form>
      {change.isError && <Failure error={change.error} />}
      {swap && (
        <Button kind="primary" disabled={change.isPending} onClick={() => change.mutate({ tag: job.tag, person, start, with_swap: true })}>
          Move it, with the exchange
        </Button>
      )}
      {asksWhy && (
        <form
          className="flex flex-wrap items-end gap-3"
          onSubmit={(e) => {
            e.preventDefault();
            takeOut();
          }}
        >
          <div className="w-96 max-w-full">
            <TextField label="Why it leaves this round" value={why} onChange={setWhy} autoFocus hint="It is handed over to the next shift." />
          </div>
          <Button type="submit" kind="danger" disabled={change.isPending}>
            Take it out all the same
          </Button>
        </form>
      )}
    </section>
  );
}

function Jobs({ round, chosen, onChoose }: { round: WorkRound; chosen: string; onChoose: (tag: string) => void }) {
  const start = useStart();
  const mayStart = useMay("start a run");
  const unfit = new Set(round.unfit.map((u) => u.code));
  const planned = round.jobs.filter((j) => j.tasks.length).sort((a, b) => (a.tasks[0]?.start ?? 0) - (b.tasks[0]?.start ?? 0));
  return (
    <section aria-label="Jobs in order">
      <NotStarted start={start} />
      <table className="w-full bg-page">
        <thead>
          <tr className="border-b-2 border-slate text-left">
            <th className="py-1 pl-3">When</th>
            <th>Tag</th>
            <th>Who</th>
            <th className="max-md:hidden">Where</th>
            <th className="max-lg:hidden">With</th>
            <th className="pr-3">How it stands</th>
          </tr>
        </thead>
        <tbody>
          {planned.map((j) => (
            <tr key={j.tag} className={`border-b border-rule ${chosen === j.tag ? "bg-water-soft" : ""}`}>
              <td className="py-1 pl-3 whitespace-nowrap">{j.tasks.map((t) => `${hm(t.start)} to ${hm(t.end)}`).join(", ")}</td>
              <td>
                <button type="button" onClick={() => onChoose(j.tag)} className="inline-flex min-h-12 items-center gap-2 font-bold text-water hover:underline">
                  <Ring closed={j.state === "done" ? 1 : 0} state={j.state === "done" ? "done" : j.state === "under way" ? "open" : "idle"} size={18} />
                  {j.tag}
                  {j.is_locked && <Lock size={14} aria-label="locked" />}
                </button>
              </td>
              <td>{[...new Set(j.tasks.flatMap((t) => t.names))].join(" and ")}</td>
              <td className="max-md:hidden">{j.area}</td>
              <td className="text-sm text-muted max-lg:hidden">
                {j.kit.map((code, n) => (
                  <span key={code} className={unfit.has(code) && j.state !== "done" ? "font-bold text-iron" : ""}>
                    {n > 0 && ", "}
                    {code}
                    {unfit.has(code) && j.state !== "done" && " ✕ not to be used"}
                  </span>
                ))}
              </td>
              <td className="pr-3">
                <span className="flex flex-wrap items-center gap-x-3">
                  {j.state}
                  {j.late_min > 5 && (
                    <span className="inline-flex items-center gap-1 font-bold text-iron">
                      <TriangleAlert size={16} aria-hidden="true" /> {j.late_min} min behind
                    </span>
                  )}
                  {j.run ? (
                    <Link to={`/run/${j.run}`} className="inline-flex min-h-12 items-center font-bold text-water hover:underline">
                      Open
                    </Link>
                  ) : (
                    round.status === "under way" &&
                    mayStart && (
                      <Button onClick={() => start.mutate(j.tag)} disabled={start.isPending}>
                        Start
                      </Button>
                    )
                  )}
                </span>
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

function Load({ round }: { round: WorkRound }) {
  const { kit, gas, more, wear, lacks, elsewhere } = round.load;
  if (!kit.length && !gas.length && !wear.length) return null;
  return (
    <section aria-label="Load list" className="space-y-1">
      <h2 className="text-lg font-bold">In the van</h2>
      {lacks.map((says) => (
        <Message key={says} tone="edge">
          {says}
        </Message>
      ))}
      <ul className="border-t-2 border-slate bg-page">
        {[...kit, ...gas, ...more].map((k) => (
          <li key={k.code} className="flex flex-wrap gap-x-4 border-b border-rule px-3 py-2">
            <strong className="w-24">{k.code}</strong>
            <span className="flex-1">
              {k.litres !== null && `${k.litres} l with what is spared, of ${k.left} l left, `}
              {k.words && `${k.words}, `}with {k.who.join(", ")}
              {k.handed && <span className="block text-sm">Changes hands at lunch: {k.handed}.</span>}
            </span>
          </li>
        ))}
        {wear.map((w) => (
          <li key={w.what} className="flex flex-wrap gap-x-4 border-b border-rule px-3 py-2">
            <strong className="w-64">{w.what}</strong>
            <span className="flex-1 text-sm text-muted">{w.tags.length > 8 ? `${w.tags.length} instruments` : w.tags.join(", ")}</span>
          </li>
        ))}
      </ul>
      {elsewhere.length > 0 && <p className="text-sm">In another round of that day: {elsewhere.join(", ")}.</p>}
    </section>
  );
}

/** Kit that must not be used any more, the jobs that need it, and what would do for all of them. */
function Unfit({ round, mayPlan }: { round: WorkRound; mayPlan: boolean }) {
  const { exchange } = usePlanActs(round.id);
  if (!round.unfit.length) return null;
  return (
    <Message tone="out" title="Kit that must not be used">
      {round.unfit.map((u) => (
        <div key={u.code} className="flex flex-wrap items-center gap-3 py-1">
          <span className="flex-1 basis-80">
            {u.says} Needed for {u.tags.join(", ")}. {u.instead.length === 0 && "Nothing else does for all of these: build the round anew."}
          </span>
          {mayPlan &&
            u.instead.map((code) => (
              <Button key={code} onClick={() => exchange.mutate({ code: u.code, take: code })} disabled={exchange.isPending}>
                Take {code} instead
              </Button>
            ))}
        </div>
      ))}
      {exchange.isError && <Failure error={exchange.error} />}
    </Message>
  );
}

/** A round: built, looked at, changed by hand, given out, and followed. */
export function RoundPlanPage() {
  const { id = "" } = useParams();
  const plan = usePlan(id);
  const acts = usePlanActs(id);
  const mayPlan = useMay("plan the work");
  const [chosen, choose] = useState("");
  if (plan.isPending) return <Loading what="the round" />;
  if (plan.isError) return <Failure error={plan.error} />;
  const round = plan.data;
  const job = round.jobs.find((j) => j.tag === chosen);
  const left = round.jobs.filter((j) => !j.tasks.length && j.state === "left out");
  const failed = acts.solve.error ?? acts.stop.error ?? acts.status.error;
  const isStill = round.status !== "solving" && round.status !== "closed";
  return (
    <div className="mx-auto max-w-7xl space-y-4 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">
          {round.name}: {STATUS[round.status] ?? round.status}
          <span className="block text-base font-normal text-muted">
            {day(round.day)},{" "}
            {round.status === "draft"
              ? round.people.join(", ")
              : round.crew.map((c) => (
                  <a
                    key={c.username}
                    href={`/api/v1/plans/${round.id}/pack.pdf?${new URLSearchParams({ person: c.username }).toString()}`}
                    target="_blank"
                    rel="noreferrer"
                    className="mr-3 inline-flex min-h-12 items-center gap-1 font-bold text-water underline"
                  >
                    {c.name}, printed
                  </a>
                ))}
          </span>
        </h1>
        <LinkButton to="/plan">All rounds</LinkButton>
        {round.status !== "draft" && <LinkButton href={`/api/v1/plans/${round.id}/pack.pdf`}>Print</LinkButton>}
        {mayPlan && round.status === "solving" && <Button onClick={() => acts.stop.mutate()}>Stop with the best so far</Button>}
        {mayPlan && ["planned", "under way"].includes(round.status) && <Button onClick={() => acts.status.mutate("closed")}>Close it</Button>}
        {mayPlan && round.status === "planned" && <Button onClick={() => acts.status.mutate("under way")}>Give it out</Button>}
        {mayPlan && isStill && (
          <Button kind="primary" onClick={() => acts.solve.mutate()} disabled={acts.solve.isPending}>
            {round.status === "draft" ? "Build the round" : round.status === "under way" ? "Plan on from now" : "Build it anew"}
          </Button>
        )}
      </div>
      {failed && <Failure error={failed} />}
      <Result round={round} />
      <Unfit round={round} mayPlan={mayPlan && isStill} />
      {round.overlaps.length > 0 && (
        <Message tone="out" title="In two places at a time: it can't be given out like that">
          <ul className="list-disc pl-5">
            {round.overlaps.map((says) => (
              <li key={says}>{says}</li>
            ))}
          </ul>
          <p>Build it anew, or take it out of one of them.</p>
        </Message>
      )}
      {round.hand_over.length > 0 && (
        <Message tone="edge" title="For the next shift, open loops first">
          <ul className="list-disc pl-5">
            {round.hand_over.map((h) => (
              <li key={h.says} className={h.what === "open" ? "font-bold" : ""}>
                {h.says}
              </li>
            ))}
          </ul>
        </Message>
      )}
      {round.planned > 0 && <Timeline round={round} chosen={chosen} onChoose={choose} />}
      {job && mayPlan && isStill && <JobPanel key={`${job.tag} ${JSON.stringify(job.tasks)}`} round={round} job={job} onDone={() => choose("")} />}
      {round.planned > 0 && <Jobs round={round} chosen={chosen} onChoose={choose} />}
      {left.length > 0 && (
        <section aria-label="Left out">
          <h2 className="text-lg font-bold">{round.status === "draft" ? "To choose from" : "Left out, and why"}</h2>
          <ul className="border-t-2 border-slate bg-page">
            {left.map((j) => (
              <li key={j.tag} className="flex flex-wrap items-center gap-x-4 border-b border-rule px-3">
                <button type="button" onClick={() => choose(j.tag)} className="min-h-12 w-28 text-left font-bold text-water hover:underline">
                  {j.tag}
                </button>
                <span className="flex-1">
                  {j.why_left || `${j.service}, ${j.area}, due ${day(j.next_due)}`} {j.is_must && <strong>Must be done.</strong>}
                </span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {round.not_taken.length > 0 && (
        <details className="border-y border-rule bg-page px-3">
          <summary className="flex min-h-12 cursor-pointer items-center font-bold">Due and not taken into this round: {round.not_taken.length}</summary>
          <ul className="pb-3">
            {round.not_taken.map((says) => (
              <li key={says}>{says}.</li>
            ))}
          </ul>
        </details>
      )}
      <Load round={round} />
    </div>
  );
}
