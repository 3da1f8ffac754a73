import { useMutation, useQueryClient } from "@tanstack/react-query";
import { CheckCircle2, Clock, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { useDuties } from "../../api/queries";
import { useMay } from "../../app/session";
import { Button } from "../../ui/Button";
import { LongField, TextField } from "../../ui/fields";
import { countdown, moment, span } from "../../ui/format";
import { Failure } from "../../ui/Message";
import { useNow } from "../../ui/useNow";

type Duty = Schemas["Duty"];

function Left({ duty, now }: { duty: Duty; now: number }) {
  const left = Date.parse(duty.due_at) - now;
  if (left <= 0)
    return (
      <strong role="timer" className="inline-flex items-center gap-1 text-iron">
        <TriangleAlert size={18} aria-hidden="true" /> overdue by {span(-left)}
      </strong>
    );
  return (
    <span role="timer" className="inline-flex items-center gap-1 font-bold text-amber">
      <Clock size={18} aria-hidden="true" /> {countdown(left)} left
    </span>
  );
}

function CloseForm({ duty, onDone }: { duty: Duty; onDone: () => void }) {
  const queries = useQueryClient();
  const [excuses, setExcuses] = useState(false);
  const [values, setValues] = useState<Record<string, string>>({});
  const [reason, setReason] = useState("");
  const close = useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/duties/{duty_id}/", {
          params: { path: { duty_id: duty.id } },
          body: { outcome: excuses ? "excused" : "done", values: excuses ? {} : values, reason: excuses ? reason : "" },
        }),
      ),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["duties"] });
      onDone();
    },
  });
  const fields = close.error instanceof ApiFailure ? close.error.byField : {};
  return (
    <form
      className="space-y-3 py-3"
      onSubmit={(e) => {
        e.preventDefault();
        close.mutate();
      }}
    >
      <p>{duty.instruction}</p>
      {excuses ? (
        <LongField label="Why it is not done" value={reason} onChange={setReason} error={fields.reason} />
      ) : (
        <div className="grid gap-3 sm:grid-cols-2">
          {duty.asked.map((f, n) => (
            <TextField
              key={f.name}
              label={f.words}
              unit={f.unit}
              hint={f.limits && `Left within ${f.limits}`}
              numeric
              autoFocus={n === 0}
              value={values[f.name] ?? ""}
              onChange={(v) => setValues({ ...values, [f.name]: v })}
              error={fields[f.name]}
            />
          ))}
        </div>
      )}
      {close.isError && <Failure error={close.error} />}
      <div className="flex flex-wrap gap-2">
        <Button kind="primary" type="submit" disabled={close.isPending}>
          {excuses ? "Excuse it" : "It is done"}
        </Button>
        <Button onClick={() => setExcuses(!excuses)}>{excuses ? "It was done after all" : "It can’t be done"}</Button>
      </div>
    </form>
  );
}

function DutyLine({ duty, now }: { duty: Duty; now: number }) {
  const [isOpen, setOpen] = useState(false);
  const mayWork = useMay("work on a run");
  return (
    <div className="border-b border-rule px-3">
      <div className="flex min-h-16 flex-wrap items-center gap-x-4 gap-y-1">
        <Link to={`/plant/${encodeURIComponent(duty.tag)}`} className="inline-flex min-h-12 items-center text-lg font-bold text-water underline-offset-4 hover:underline">
          {duty.tag}
        </Link>
        <span className="min-w-0 flex-1">
          <span className="block font-bold">{duty.title}</span>
          <span className="block text-sm text-muted">
            {duty.area}, left by {duty.opened_by} in {duty.run_number}
          </span>
        </span>
        <Left duty={duty} now={now} />
        {mayWork && (
          <Button onClick={() => setOpen(!isOpen)} aria-expanded={isOpen}>
            {isOpen ? "Later" : "Do it"}
          </Button>
        )}
      </div>
      {isOpen && <CloseForm duty={duty} onDone={() => setOpen(false)} />}
    </div>
  );
}

function Closed({ duty }: { duty: Duty }) {
  const seen = duty.asked.filter((f) => f.seen).map((f) => `${f.words} ${f.seen} ${f.unit}`);
  return (
    <p className="flex min-h-12 items-center gap-2 border-b border-rule px-3 text-sm">
      <CheckCircle2 size={18} aria-hidden="true" className={duty.outcome === "done" ? "text-kelp" : "text-amber"} />
      <span>
        <strong>{duty.title}</strong> {duty.outcome} by {duty.closed_by}, {moment(duty.closed_at)}: {duty.reason || seen.join(", ")}
      </span>
    </p>
  );
}

/** What runs left to be done soon, each with its own countdown; of one instrument also what came of the last ones. */
export function Duties({ tag = "" }: { tag?: string }) {
  const duties = useDuties(tag);
  const now = useNow();
  if (!duties.data?.length) return null;
  return (
    <section className="mb-6" aria-label="To be done soon">
      <h2 className="flex items-baseline gap-3 border-b-2 border-amber px-3 pb-1 text-lg font-bold">To be done soon</h2>
      {duties.data.map((d) => (d.outcome ? <Closed key={d.id} duty={d} /> : <DutyLine key={d.id} duty={d} now={now} />))}
    </section>
  );
}
