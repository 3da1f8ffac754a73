import { CornerDownLeft, TriangleAlert } from "lucide-react";
import { Button } from "../../../ui/Button";
import { Failure, Message } from "../../../ui/Message";
import { Keys } from "../../gas/Keys";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";

/** Things moved for the test, and moved back: each with where it stands now, in words. */
export function CheckpairsStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const out = step.pairs.filter((p) => p.is_out);
  const goesBack = step.pairs.every((p) => !p.can_go_out);
  const move = (pair: string, to: "out" | "back") => append.mutate([{ type: "pair_moved", payload: { step: step.key, pair, to } }]);
  const confirm = () => append.mutate([{ type: "step_confirmed", payload: { step: step.key, values: {}, checks: [] } }]);
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
      <Keys run={run} only={step.keys} />
      <ul className="border-t border-rule">
        {step.pairs.map((p) => (
          <li key={p.key} className={`grid grid-cols-[1fr_auto] items-center gap-4 border-b border-rule border-l-8 px-3 py-1 ${p.is_out ? "border-l-amber bg-amber-soft" : "border-l-transparent"}`}>
            <span>
              <span className="font-bold">{p.label}</span>
              <span className="block text-sm">
                {p.is_out ? (
                  <>
                    <TriangleAlert size={16} aria-hidden="true" className="mr-1 inline text-amber" />
                    at “{p.test}”, moved by {p.by}
                  </>
                ) : (
                  `at “${p.normal}”`
                )}
              </span>
            </span>
            {p.is_out ? (
              <Button onClick={() => move(p.key, "back")} kind={goesBack ? "primary" : "plain"} label={`${p.label}: moved back`}>
                <CornerDownLeft size={18} aria-hidden="true" /> Moved back to “{p.normal}”
              </Button>
            ) : (
              !goesBack && (
                <Button onClick={() => move(p.key, "out")} label={`${p.label}: moved to test`}>
                  Moved to “{p.test}”
                </Button>
              )
            )}
          </li>
        ))}
      </ul>
      {goesBack && !out.length && <Message>Everything is back in service.</Message>}
      {append.isError && <Failure error={append.error} />}
    </StepFrame>
  );
}
