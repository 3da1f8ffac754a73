import { useMutation } from "@tanstack/react-query";
import { Check } from "lucide-react";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Run, type Schemas } from "../../../api/client";
import { useOffers } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { TextField } from "../../../ui/fields";
import { day } from "../../../ui/format";
import { Failure, Loading, Message } from "../../../ui/Message";
import { NO_PROOF, ProofFields } from "../../../ui/Proof";
import { Modal } from "../../../ui/Modal";
import { StepFrame, type StepProps } from "../StepFrame";
import { newId, useAppend, useTakeRun } from "../useRun";

type Offer = Schemas["Offer"];

/** What was refused, and what would make it right. */
interface Refused {
  code: string;
  failure: ApiFailure;
}

/** One that may be chosen, with its check: range, uncertainty, what it reaches here, and until when it is good. */
export function Choice({ r, chosen, onChoose, busy, tur, isBrief = false }: { isBrief?: boolean; r: Offer; chosen: boolean; onChoose: () => void; busy: boolean; tur: string }) {
  const standing = { "in date": "text-kelp", "due soon": "text-amber" }[r.state] ?? "text-iron";
  return (
    <li>
      <button
        type="button"
        onClick={onChoose}
        disabled={busy}
        aria-pressed={chosen}
        className={`grid min-h-14 w-full grid-cols-[24px_minmax(0,1fr)_auto] items-center gap-2 border-b border-rule px-2 py-1 text-left hover:bg-water-soft ${chosen ? "bg-kelp-soft" : ""}`}
      >
        <span>{chosen && <Check size={20} strokeWidth={3} aria-hidden="true" className="text-kelp" />}</span>
        <span className="min-w-0">
          <span className="block font-bold">
            {r.code} <span className="font-normal">{r.name}</span>
          </span>
          <span className={`block text-sm text-muted ${isBrief ? "truncate" : ""}`} title={isBrief ? r.detail : undefined}>
            {r.detail}
          </span>
          {r.remarks.map((m) => (
            <span key={m.rule} className="block text-sm">
              {m.says}
            </span>
          ))}
        </span>
        <span className="text-right text-sm">
          <span className={`block font-bold ${standing}`}>{r.state}</span>
          <span className="block text-muted">{tur ? `${tur}, ` : ""}to {day(r.good_until)}</span>
        </span>
      </button>
    </li>
  );
}

function OverrideDialog({ run, role, code, open, onClose }: { run: Run; role: string; code: string; open: boolean; onClose: () => void }) {
  const { take, notice } = useTakeRun(run.id);
  const [reviewer, setReviewer] = useState("");
  const [proof, prove] = useState(NO_PROOF);
  const [reason, setReason] = useState("");
  const override = useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/runs/{run_id}/override-reference/", {
          params: { path: { run_id: run.id } },
          body: { expected_seq: run.view.seq, id: newId(), role, code, reason, reviewer: reviewer.trim(), ...proof },
        }),
      ),
    onSuccess: (next) => {
      take(next);
      onClose();
    },
    onError: notice,
  });
  return (
    <Modal open={open} onClose={onClose} title={`Use ${code} although it is out of date`}>
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          override.mutate();
        }}
      >
        <p>A reviewer vouches for it, with a reason. Both are printed on the certificate.</p>
        <TextField label="Reviewer’s name" value={reviewer} onChange={setReviewer} autoFocus />
        <ProofFields label="Reviewer’s password" proof={proof} onChange={prove} ofAnother />
        <TextField label="Reason" value={reason} onChange={setReason} />
        {override.isError && <Failure error={override.error} />}
        <div className="flex justify-end gap-3">
          <Button onClick={onClose}>Leave it</Button>
          <Button kind="primary" type="submit" disabled={override.isPending}>
            Let it be used
          </Button>
        </div>
      </form>
    </Modal>
  );
}

function Role({ run, step, role, label, hint }: StepProps & { role: string; label: string; hint: string }) {
  const references = useOffers(run.id, role, run.view.seq);
  const append = useAppend(run);
  const [refused, setRefused] = useState<Refused | null>(null);
  const [reason, setReason] = useState("");
  const [overriding, setOverriding] = useState(false);
  const chosen = run.view.references.find((r) => r.role === role);
  if (references.isPending) return <Loading what="the kit" />;
  if (references.isError) return <Failure error={references.error} retry={() => void references.refetch()} />;
  const choose = (code: string, why = "") =>
    append.mutate([{ type: "reference_assigned", payload: { step: step.key, role, code, reason: why } }], {
      onSuccess: () => {
        setRefused(null);
        setReason("");
      },
      onError: (error) => setRefused(error instanceof ApiFailure && error.code !== "stale" ? { code, failure: error } : null),
    });
  const offer = (r: Offer) => (
    <Choice key={r.code} r={r} chosen={chosen?.code === r.code} tur={r.reaches} busy={append.isPending} onChoose={() => choose(r.code)} />
  );
  const isFit = (r: Offer) => r.standing !== "refuse" || r.code === chosen?.code;
  const unfit = references.data.filter((r) => !isFit(r));
  const needsReason = refused?.failure.details.needs_reason === true;
  return (
    <section aria-label={label}>
      <h3 className="border-b-2 border-slate font-bold">
        {label} <span className="font-normal text-muted">{hint}</span>
      </h3>
      <ul>{references.data.filter(isFit).map(offer)}</ul>
      {unfit.length > 0 && (
        <details open={unfit.length === references.data.length}>
          <summary className="flex min-h-12 cursor-pointer items-center gap-2 text-muted">
            {unfit.length} more that will not do: {unfit.map((r) => r.code).join(", ")}
          </summary>
          <ul>{unfit.map(offer)}</ul>
        </details>
      )}
      {append.isError && !refused && <Failure error={append.error} />}
      {refused && (
        <Message tone={needsReason ? "edge" : "out"}>
          <p>{refused.failure.message}</p>
          {needsReason && (
            <div className="mt-2 flex flex-wrap items-end gap-3">
              <div className="min-w-60 flex-1">
                <TextField label="Why it must do" value={reason} onChange={setReason} />
              </div>
              <Button onClick={() => choose(refused.code, reason)} disabled={reason.trim().length < 2}>
                Use it all the same
              </Button>
            </div>
          )}
          {refused.failure.code === "expired" && (
            <Button onClick={() => setOverriding(true)} className="mt-2">
              Ask a reviewer to override
            </Button>
          )}
        </Message>
      )}
      {chosen?.override && (
        <Message tone="edge">
          Out of date; {chosen.override.name} let it be used: {chosen.override.reason}
        </Message>
      )}
      {refused && <OverrideDialog run={run} role={role} code={refused.code} open={overriding} onClose={() => (setOverriding(false), setRefused(null))} />}
    </section>
  );
}

export function ReferencesStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const confirm = () => append.mutate([{ type: "step_confirmed", payload: { step: step.key } }]);
  return (
    <StepFrame
      step={step}
      onSubmit={confirm}
      action={
        <Button kind="primary" type="submit" large disabled={append.isPending}>
          {step.confirm_label}
        </Button>
      }
    >
      {step.fields.map((f) => (
        <Role key={f.name} run={run} step={step} role={f.name} label={f.label} hint={f.hint} />
      ))}
      {append.isError && <Failure error={append.error} />}
    </StepFrame>
  );
}
