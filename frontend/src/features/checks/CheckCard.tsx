import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { ApiFailure } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure, Loading, Message } from "../../ui/Message";
import { useDraft, useDraftForm } from "../../ui/useDraft";
import { TapSays } from "../../ui/TapSays";
import { Verdict } from "../../ui/Verdict";
import { useRun } from "../run/useRun";
import { Alarms, Choices, Failed, GiveBack, Here, Purge, Reading, type Act } from "./CheckSteps";
import { useAct, useTap, type CheckJob, type CheckRound } from "./checks";

function AtWork({ round, job, act }: { round: CheckRound; job: CheckJob & { run: string }; act: Act }) {
  const run = useRun(job.run);
  const [kept, keep] = useDraft(`check/${job.run}/kept`);
  if (run.isPending) return <Loading what="the run" />;
  if (run.isError) return <Failure error={run.error} retry={() => void run.refetch()} />;
  const step = run.data.view.step;
  if (!step) return null;
  const props = { run: run.data, step, tag: job.tag, act };
  if (step.kind === "readings") return <Reading {...props} />;
  if (step.kind === "judge") return <Failed {...props} />;
  if (step.variant === "purge") return <Purge {...props} keep={keep} />;
  if (step.variant === "alarms") return <Alarms {...props} />;
  if (step.kind === "release" || (step.phase === "restore" && step.checks.length > 0)) return <GiveBack run={run.data} job={job} round={round} act={act} kept={kept} />;
  if (step.phase === "prepare" || step.phase === "make safe") return <Begin round={round} job={job} act={act} again isPicked />;
  return <Choices {...props} />;
}

/** Everything that one tap says, written out above it. */
function Begin({ round, job, act, again = false, onBegun, isPicked = false }: { round: CheckRound; job: CheckJob; act: Act; again?: boolean; onBegun?: () => void; isPicked?: boolean }) {
  const navigate = useNavigate();
  const tap = useTap(round, job);
  const [said, say] = useDraftForm(`check/${job.tag}/asked`);
  const errors = act.error instanceof ApiFailure ? act.error.byField : {};
  if (tap.isPending) return <Loading what="what is to be seen first" />;
  if (tap.isError) return <Failure error={tap.error} retry={() => void tap.refetch()} />;
  const begin = () => {
    onBegun?.();
    act.mutate({ do: "begin", tag: job.tag, said });
  };
  const alone = () =>
    act.mutate(
      { do: "begin", tag: job.tag, step_by_step: true },
      {
        onSuccess: (next) => {
          const mine = next.jobs.find((j) => j.tag === job.tag);
          if (mine?.run) void navigate(`/run/${mine.run}`);
        },
      },
    );
  return (
    <div className="space-y-4">
      <TapSays tap={tap.data} />
      {job.asks.map((f) => (
        <div key={f.name} className="max-w-md">
          <TextField label={f.label} unit={f.unit} numeric={f.unit !== ""} value={said[f.name] ?? ""} onChange={(v) => say(f.name, v)} error={errors[f.name]} />
        </div>
      ))}
      <div className="flex flex-wrap items-center gap-4">
        {isPicked && <Here />}
        <Button kind="primary" large onClick={begin} disabled={act.isPending}>
          {tap.data.label}
        </Button>
        <Button onClick={alone} disabled={act.isPending}>
          Something is otherwise: step by step
        </Button>
      </div>
      {again && !act.isError && (
        <Message tone={job.asks.length ? "edge" : "info"}>
          It is begun, and not yet at its reading{job.at_step && `: it is at “${job.at_step}”`}.
          {job.asks.length > 0 && " Say what it asks above."}
        </Message>
      )}
      {act.isError && <Failure error={act.error} />}
    </div>
  );
}

function Aside({ job, act }: { job: CheckJob; act: Act }) {
  const [open, setOpen] = useState(false);
  const [reason, setReason] = useState("");
  if (!open)
    return (
      <Button kind="quiet" onClick={() => setOpen(true)}>
        {job.run ? "Set aside" : "Not now"}
      </Button>
    );
  return (
    <form
      className="flex max-w-xl items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        act.mutate({ do: "aside", tag: job.tag, reason }, { onSuccess: () => setOpen(false) });
      }}
    >
      <div className="flex-1">
        <TextField label={job.run ? "Why it is set aside; its hold stays on" : "Why not now; it stays due"} value={reason} onChange={setReason} autoFocus />
      </div>
      <Button type="submit" disabled={act.isPending || reason.trim().length < 3}>
        Go on without it
      </Button>
    </form>
  );
}

const OVER: Record<string, string> = {
  ready: "Its hold is off. It is ready to be signed with the others.",
  signed: "Signed.",
  accepted: "Signed and reviewed.",
  voided: "Its run was voided.",
};

/** The one detector that is at hand, with the one thing to do next. */
export function CheckCard({ round, job, onBegun, isPicked }: { round: CheckRound; job: CheckJob; onBegun: () => void; isPicked: boolean }) {
  const act = useAct(round);
  const isOver = job.state in OVER;
  const may = round.is_mine && !isOver;
  return (
    <section aria-label={job.tag} className="space-y-4">
      <div className="flex flex-wrap items-baseline gap-x-4">
        <h2 className="text-4xl font-bold">{job.tag}</h2>
        <p className="text-lg">
          {job.service}, {job.area}
        </p>
        {job.voting_group && <p className="text-muted">votes in {job.voting_group}</p>}
        {job.is_on_hold && <strong className="ml-auto border-l-8 border-amber bg-amber-soft px-3 py-1">On hold</strong>}
      </div>
      {job.note && <Message tone="edge">{job.run ? `Set aside: ${job.note}` : `Not now: ${job.note}`}</Message>}
      {isOver && (
        <p className="text-lg">
          {job.verdict && <Verdict verdict={job.verdict} size={20} />} {OVER[job.state]}{" "}
          {job.run && (
            <Link to={job.state === "ready" ? `/run/${job.run}` : `/records/${job.run}`} className="font-bold text-water underline">
              See it
            </Link>
          )}
        </p>
      )}
      {may && (job.run && job.state !== "voided" ? <AtWork key={job.run} round={round} job={{ ...job, run: job.run }} act={act} /> : <Begin round={round} job={job} act={act} onBegun={onBegun} isPicked={isPicked} />)}
      {may && !job.note && <Aside job={job} act={act} />}
    </section>
  );
}
