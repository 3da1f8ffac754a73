import { useState } from "react";
import { useParams } from "react-router";
import { ApiFailure } from "../../api/client";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { LongField, TextField } from "../../ui/fields";
import { moment } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { useDraftForm } from "../../ui/useDraft";
import { daysOpen } from "./FollowUpRows";
import { useFollowUp, type FollowUp } from "./useFollowUps";

/** What is asked; what is typed stays on the device until it is kept. */
function Answers({ of: f, answer }: { of: FollowUp; answer: ReturnType<typeof useFollowUp>["answer"] }) {
  const [typed, set, clear] = useDraftForm(`follow-up/${f.id}`);
  const errors = answer.error instanceof ApiFailure ? answer.error.byField : {};
  const changed = f.asked.some((a) => typed[a.name] !== undefined && typed[a.name] !== a.value);
  return (
    <form
      className="space-y-4"
      onSubmit={(e) => {
        e.preventDefault();
        answer.mutate({ values: typed, version: f.version }, { onSuccess: clear });
      }}
    >
      {f.asked.map((a) => (
        <LongField key={a.name} label={a.label} hint={a.hint} rows={2} value={typed[a.name] ?? a.value} onChange={(v) => set(a.name, v)} error={errors[a.name]} />
      ))}
      {answer.isError && <Failure error={answer.error} />}
      <Button kind="primary" type="submit" disabled={!changed || answer.isPending}>
        Keep it
      </Button>
    </form>
  );
}

function Close({ of: f, close }: { of: FollowUp; close: ReturnType<typeof useFollowUp>["close"] }) {
  const [note, setNote] = useState("");
  return (
    <form
      className="space-y-3 border-t-2 border-slate pt-3"
      onSubmit={(e) => {
        e.preventDefault();
        close.mutate(note);
      }}
    >
      <h2 className="text-lg font-bold">Close it</h2>
      <p className="text-sm text-muted">By somebody who did not sign the run and wrote nothing here, once everything is answered.</p>
      <TextField label="What was looked at (may be left empty)" value={note} onChange={setNote} />
      {close.isError && <Failure error={close.error} />}
      <Button type="submit" disabled={close.isPending || f.missing.length > 0}>
        {f.missing.length ? `${f.missing.length} still to answer` : "Close the follow-up"}
      </Button>
    </form>
  );
}

/** An instrument that was found outside: what that may have done, answered and closed by two people. */
export function FollowUpPage() {
  const { id = "" } = useParams();
  const { query, answer, close } = useFollowUp(id);
  const mayAnswer = useMay("answer a follow-up");
  const mayClose = useMay("close a follow-up");
  if (query.isPending) return <Loading what="the follow-up" />;
  if (query.isError) return <Failure error={query.error} />;
  const f = query.data;
  return (
    <div className="mx-auto max-w-5xl space-y-5 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">
          {f.tag} was found outside
          <span className="block text-base font-normal text-muted">
            {f.service}, {f.area}, {f.number}, {f.is_open ? `open ${daysOpen(f.days)}` : "closed"}
          </span>
        </h1>
        <LinkButton to={`/records/${f.run}`}>Its record</LinkButton>
        <LinkButton to="/follow-ups">All follow-ups</LinkButton>
      </div>
      <Message tone={f.is_open ? "edge" : "info"} title={f.estimate}>
        {f.feeds && `It feeds: ${f.feeds}. `}
        An estimate from the record only; site procedures say who must be told and what is looked at again.
      </Message>
      {f.is_open && mayAnswer ? (
        <Answers of={f} answer={answer} />
      ) : (
        <dl className="space-y-3">
          {f.asked.map((a) => (
            <div key={a.name}>
              <dt className="font-bold">{a.label}</dt>
              <dd className="whitespace-pre-wrap">{a.value || "not answered"}</dd>
            </div>
          ))}
        </dl>
      )}
      {f.is_open && mayClose && <Close of={f} close={close} />}
      {!f.is_open && (
        <Message>
          {f.closed_by ? `Closed by ${f.closed_by}, ${moment(f.closed_at ?? "")}.` : `Ended ${moment(f.closed_at ?? "")}.`} {f.note}
        </Message>
      )}
      {f.changes.length > 0 && (
        <section aria-label="Who wrote what">
          <h2 className="border-b-2 border-slate text-lg font-bold">Who wrote what</h2>
          <ol>
            {f.changes.map((c) => (
              <li key={c.at + c.by} className="border-b border-rule py-2 text-sm">
                <strong>{c.by}</strong>, {moment(c.at)}
                {c.what.map((w) => (
                  <span key={w} className="block">
                    {w}
                  </span>
                ))}
              </li>
            ))}
          </ol>
        </section>
      )}
    </div>
  );
}
