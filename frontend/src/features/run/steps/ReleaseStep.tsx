import { ApiFailure, type Asked, type Run } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { moment } from "../../../ui/format";
import { Failure, Message } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { Keys } from "../../gas/Keys";
import { TextField } from "../../../ui/fields";
import { ReallySo } from "../../../ui/ReallySo";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend, type NewEvent } from "../useRun";
import { keepTold } from "./lastTold";
import { heldValues } from "./held";
import { StepFields } from "./StepFields";

/** The release as it is being entered: what was seen, and with it every hold that comes off. */
export function useReleasing(run: Run, step: Asked, error: unknown) {
  const [values, set, clear] = useDraftForm(`${run.id}/${step.key}`);
  const open = run.view.holds.filter((h) => step.lets_go.includes(h.id));
  const needsEnded = error instanceof ApiFailure && error.details.needs_ended === true;
  const seen = heldValues(step, values);
  return {
    values,
    set,
    open,
    needsEnded,
    made: (sure: string): NewEvent[] => {
      const told = { ...seen, ...(sure && { confirmed: sure }) };
      return open.length
        ? open.map((h) => ({ type: "hold_released", payload: { step: step.key, hold: h.id, values: told, ...(needsEnded && { ended: values.ended ?? "" }) } }))
        : [{ type: "step_confirmed", payload: { step: step.key, values: told } }];
    },
    stored: () => {
      keepTold(seen);
      clear();
    },
  };
}

/** What is asked before a hold comes off. */
export function ReleaseFields({ step, form, errors, isBeside = false }: { step: Asked; form: ReturnType<typeof useReleasing>; errors: Record<string, string>; isBeside?: boolean }) {
  return (
    <>
      {form.open.map((h) => (
        <Message key={h.id} tone={h.is_overdue ? "out" : "edge"} title={`${h.kind} is on`}>
          Placed by {h.placed_by} on {moment(h.placed_at)}: {h.reason}. Planned until {moment(h.until)}.
        </Message>
      ))}
      {!form.open.length && <Message>No hold is on; what is asked here is still to be told.</Message>}
      <div className={isBeside ? "grid max-w-4xl items-end gap-4 sm:grid-cols-2" : "max-w-lg space-y-4"}>
        <StepFields step={step} values={form.values} set={form.set} errors={errors} takesFocus={!isBeside} />
      </div>
      {form.needsEnded && <TextField label="How it was ended" value={form.values.ended ?? ""} onChange={(v) => form.set("ended", v)} />}
    </>
  );
}

export function ReleaseStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const form = useReleasing(run, step, append.error);
  const errors = append.error instanceof ApiFailure ? append.error.byField : {};
  const release = (sure = "") => {
    if (!append.isPending) append.mutate(form.made(sure), { onSuccess: form.stored });
  };
  return (
    <StepFrame
      step={step}
      onSubmit={() => release()}
      action={
        <Button kind="primary" type="submit" large disabled={append.isPending}>
          {step.confirm_label}
        </Button>
      }
    >
      <Keys run={run} only={["reset", "release"]} />
      <ReleaseFields step={step} form={form} errors={errors} />
      {append.isError && <Failure error={append.error} />}
      <ReallySo error={append.error} onConfirm={release} onTake={form.set} />
    </StepFrame>
  );
}
