import { Button } from "../../../ui/Button";
import { Failure } from "../../../ui/Message";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";

/** Something done several times, counted off with one key; what stands after each is told. */
export function CountStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const counted = step.count;
  if (!counted) return null;
  const next = counted.done + 1;
  const count = () => {
    if (!append.isPending) append.mutate([{ type: "counted", payload: { step: step.key, count: next } }]);
  };
  return (
    <StepFrame
      step={step}
      onSubmit={count}
      action={
        <Button kind="primary" type="submit" large autoFocus>
          {step.confirm_label}: {next} of {counted.total}
        </Button>
      }
    >
      <p role="status" className="text-6xl font-bold">
        {counted.done} <span className="text-2xl font-normal text-muted">of {counted.total}</span>
      </p>
      <p className="text-2xl font-bold">{counted.told.at(-1)}</p>
      <p className="text-muted">After the last: {counted.last}.</p>
      {counted.done > 0 && (
        <ol aria-label="Counted so far" className="border-t border-rule">
          {counted.told.slice(1).map((told, n) => (
            <li key={told} className="flex gap-4 border-b border-rule py-1">
              <span className="w-8 text-right font-bold">{n + 1}</span>
              <span>{told}</span>
            </li>
          ))}
        </ol>
      )}
      {append.isError && <Failure error={append.error} />}
    </StepFrame>
  );
}
