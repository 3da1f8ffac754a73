import { Button } from "../../../ui/Button";
import { Failure } from "../../../ui/Message";
import { useNow } from "../../../ui/useNow";
import { Keys } from "../../gas/Keys";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";

/** A clock that runs from one press to the next. The times that count are the server's. */
export function ClockStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const clock = step.clock;
  const now = useNow(200);
  if (!clock) return null;
  const runs = clock.started_at !== null;
  const seconds = clock.started_at === null ? 0 : Math.max(0, (now - Date.parse(clock.started_at)) / 1000);
  const press = () => {
    if (!append.isPending) append.mutate([{ type: runs ? "timer_ended" : "timer_started", payload: { step: step.key } }]);
  };
  const late = seconds > clock.target_s;
  return (
    <StepFrame
      step={step}
      onSubmit={press}
      action={
        <Button kind="primary" type="submit" large autoFocus>
          {runs ? "Shut: stop the clock" : `${step.confirm_label}: start the clock`}
        </Button>
      }
    >
      <Keys run={run} only={step.keys} />
      <p role="timer" className={`text-6xl font-bold ${late ? "text-iron" : ""}`}>
        {seconds.toFixed(0)} <span className="text-2xl font-normal">s of {clock.target_s} s</span>
      </p>
      {late && <p className="font-bold text-iron">Past the aim: the come-down will take longer. Shut it as soon as you can.</p>}
      {append.isError && <Failure error={append.error} />}
    </StepFrame>
  );
}
