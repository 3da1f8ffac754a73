import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { ApiFailure } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure, Loading, Message } from "../../ui/Message";
import { useDraft, useDraftForm } from "../../ui/useDraft";
import { Verdict } from "../../ui/Verdict";
import { useRun } from "../run/useRun";
import { Alarms, Choices, Failed, Here, Purge, Reading, Release, type Act } from "./CheckSteps";
import { useAct, type CheckJob, type CheckRound } from "./checks";

function AtWork({ job, act }: { job: CheckJob & { run: string }; act: Act }) {
  const run = useRun(job.run);
  const [kept, keep] = useDraft(`check/${job.run}/kept`);
  if (run.isPending) return <Loading what="the run" />;
  if (run.isError) return <Failure error={run.error} retry={() => void run.refetch()} />;
  const step = run.data.view.step;
  if (!step) return null;
  const props = { run: run.data, step, tag: job.tag, act };
  if (step.kind === "readings") return <Reading {...props} />;
  if (step.kind === "judge") return <Failed {...props} />;
  if (step.kind === "condition" && step.fields.some((f) => f.name === "purged")) return <Purge {...props} keep={keep} />;
  if (step.kind === "release") return <Release {...props} kept={kept} />;
  if (step.fields.some((f) => f.name.startsWith("alarms_came"))) return <Alarms {...props} />;
  if (step.phase === "prepare" || step.phase === "make safe") return <Begin job={job} act={act} again isPicked />;
  return <Choices {...props} />;
}

/** Everything that one tap says, written out above it. */
function Begin({ job, act, again = false, onBegun, isPicked = false }: { job: CheckJob; act: Act; again?: boolean; onBegun?: () => void; isPicked?: boolean }) {
  const navigate = useNavigate();
  const [said, say] = useDraftForm(`check/${job.tag}/asked`);
  const errors = act.error instanceof ApiFailure ? act.error.byField : {};
  const held = job.inhibit_ma && Number(job.inhibit_ma) ? `, and its current stands at ${job.inhibit_ma} mA there` : "";
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
      <ul className="max-w-3xl space-y-1 border-l-8 border-amber bg-amber-soft px-3 py-2" aria-label="Cautions">
        {job.hazards && <li className="font-bold">{job.hazards}</li>}
        <li>Gas can hurt before it is smelt, and nitrogen takes the place of the air: ventilate, stay upwind.</li>
        <li>{job.takes_hold ? "While it is on hold nobody is warned by it: tell those around you." : "Until it is checked it protects nobody: do not wear it into an area."}</li>
        <li>Site procedures, permits, local codes and licensed practice rule over this screen.</li>
      </ul>
      <div>
        <p className="font-bold">With one tap you say that</p>
        <ul className="list-disc space-y-1 pl-6">
          <li>
            the plate reads <strong>{job.tag}</strong>,
          </li>
          <li>sensor, filter and weather guard are clean and dry, and nothing has poisoned it,</li>
          {job.takes_hold && <li>the control room has it on hold{held},</li>}
          <li>your monitor is on, the cylinder is secured, fittings are tight, and site procedures are kept.</li>
        </ul>
      </div>
      {job.asks.map((f) => (
        <div key={f.name} className="max-w-md">
          <TextField label={f.label} unit={f.unit} numeric={f.unit !== ""} value={said[f.name] ?? ""} onChange={(v) => say(f.name, v)} error={errors[f.name]} />
        </div>
      ))}
      <div className="flex flex-wrap items-center gap-4">
        {isPicked && <Here />}
        <Button
          kind="primary"
          large
          onClick={() => {
            onBegun?.();
            act.mutate({ do: "begin", tag: job.tag, said });
          }}
          disabled={act.isPending}
        >
          {job.takes_hold ? "Hold is on" : "It is ready"}
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
      {may && (job.run && job.state !== "voided" ? <AtWork key={job.run} job={{ ...job, run: job.run }} act={act} /> : <Begin job={job} act={act} onBegun={onBegun} isPicked={isPicked} />)}
      {may && !job.note && <Aside job={job} act={act} />}
    </section>
  );
}
