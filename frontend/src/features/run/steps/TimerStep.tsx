import { useState } from "react";
import { Button } from "../../../ui/Button";
import { TextField } from "../../../ui/fields";
import { Failure } from "../../../ui/Message";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";

export function TimerStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const [reason, setReason] = useState("");
  const [skipping, setSkipping] = useState(false);
  const start = () => {
    if (!append.isPending) append.mutate([{ type: "timer_started", payload: { step: step.key } }]);
  };
  const skip = () => append.mutate([{ type: "timer_ended", payload: { step: step.key, reason } }]);
  return (
    <StepFrame
      step={step}
      onSubmit={start}
      action={
        <>
          <Button onClick={() => setSkipping(!skipping)}>It is warm already</Button>
          <Button kind="primary" type="submit" large disabled={append.isPending} autoFocus>
            Start {step.minutes} min
          </Button>
        </>
      }
    >
      <p className="text-6xl font-bold">
        {step.minutes} <span className="text-2xl font-normal text-muted">min</span>
      </p>
      {skipping && (
        <div className="flex max-w-xl items-end gap-3">
          <div className="flex-1">
            <TextField label="How you know" value={reason} onChange={setReason} autoFocus hint="The reason goes on the record." />
          </div>
          <Button onClick={skip} disabled={append.isPending || reason.trim().length < 2}>
            Go on without
          </Button>
        </div>
      )}
      {append.isError && <Failure error={append.error} />}
    </StepFrame>
  );
}
