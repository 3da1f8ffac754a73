import { ApiFailure } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { moment } from "../../../ui/format";
import { Failure, Message } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { Keys } from "../../gas/Keys";
import { TextField } from "../../../ui/fields";
import { ReallySo } from "../../../ui/ReallySo";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend, type NewEvent } from "../useRun";
import { heldValues, StepFields } from "./ConfirmStep";

export function ReleaseStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const [values, set, clear] = useDraftForm(`${run.id}/${step.key}`);
  const open = run.view.holds.filter((h) => step.lets_go.includes(h.id));
  const errors = append.error instanceof ApiFailure ? append.error.byField : {};
  const needsEnded = append.error instanceof ApiFailure && append.error.details.needs_ended === true;
  const release = (sure = "") => {
    if (append.isPending) return;
    const seen = { ...heldValues(step, values), ...(sure && { confirmed: sure }) };
    const events: NewEvent[] = open.length
      ? open.map((h) => ({ type: "hold_released", payload: { step: step.key, hold: h.id, values: seen, ...(needsEnded && { ended: values.ended ?? "" }) } }))
      : [{ type: "step_confirmed", payload: { step: step.key, values: seen } }];
    append.mutate(events, { onSuccess: clear });
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
      {open.map((h) => (
        <Message key={h.id} tone={h.is_overdue ? "out" : "edge"} title={`${h.kind} is on`}>
          Placed by {h.placed_by} on {moment(h.placed_at)}: {h.reason}. Planned until {moment(h.until)}.
        </Message>
      ))}
      {!open.length && <Message>No hold is on; what is asked here is still to be told.</Message>}
      <Keys run={run} only={["reset", "release"]} />
      <div className="max-w-lg space-y-4">
        <StepFields step={step} values={values} set={set} errors={errors} />
      </div>
      {append.isError && <Failure error={append.error} />}
      {needsEnded && <TextField label="How it was ended" value={values.ended ?? ""} onChange={(v) => set("ended", v)} />}
      <ReallySo error={append.error} onConfirm={release} onTake={set} />
    </StepFrame>
  );
}
