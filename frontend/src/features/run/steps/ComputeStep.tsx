import { ApiFailure } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { TextField } from "../../../ui/fields";
import { Failure, Message } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { ResultTable } from "../ResultTable";
import { ReallySo } from "../../../ui/ReallySo";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";
import { StepFields } from "./StepFields";

/** A calculation bound to the run: its values come from the register, may be changed, and the result is kept. */
export function ComputeStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const [typed, set, clear] = useDraftForm(`${run.id}/${step.key}`);
  const c = step.compute;
  if (!c) return null;
  const failure = append.error instanceof ApiFailure ? append.error : null;
  const values = { ...c.values, ...typed };
  const changed = Object.entries(typed).some(([name, value]) => value !== c.values[name]);
  const keep = (sure = "") => {
    if (append.isPending) return;
    const { reason = "", ...rest } = { ...values, ...(sure && { confirmed: sure }) } as Record<string, string>;
    append.mutate([{ type: "step_confirmed", payload: { step: step.key, values: rest, reason } }], { onSuccess: clear });
  };
  return (
    <StepFrame
      step={step}
      onSubmit={() => keep()}
      action={
        <Button kind="primary" type="submit" large disabled={append.isPending}>
          {step.confirm_label}
        </Button>
      }
    >
      <div className="grid max-w-3xl gap-4 sm:grid-cols-[repeat(auto-fit,minmax(200px,1fr))]">
        <StepFields step={step} values={values} set={set} errors={failure?.byField ?? {}} />
      </div>
      {!changed && c.says && <Message tone="info">{c.says}</Message>}
      {!changed && c.failed && <Message tone="edge">{c.failed}</Message>}
      {changed && <p className="text-muted">The result is computed anew with what you typed when you keep it.</p>}
      {!changed && <ResultTable head={c.head} rows={c.rows} />}
      {failure?.details.needs_reason === true && (
        <TextField label="Why you go on all the same" value={values.reason ?? ""} onChange={(v) => set("reason", v)} />
      )}
      {append.isError && <Failure error={append.error} />}
      <ReallySo error={append.error} onConfirm={keep} onTake={set} />
    </StepFrame>
  );
}
