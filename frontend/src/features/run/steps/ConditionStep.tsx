import { Failure } from "../../../ui/Message";
import { Keys } from "../../gas/Keys";
import { LivePanel } from "../../live/LivePanel";
import { SourceOf } from "../../live/SourcePicker";
import { useCapture } from "../../live/useCapture";
import { useLive } from "../../live/useLive";
import type { StepProps } from "../StepFrame";
import { ConfirmStep } from "./ConfirmStep";

/** A measured value that must lie inside its limits before the run goes on: typed, or taken from the source that is live. */
export function ConditionStep(props: StepProps) {
  const { run, step } = props;
  const capture = useCapture(run);
  const isLive = step.watches !== "" && run.view.sources.some((s) => s.quantity === step.watches && s.channel === step.watches_channel);
  const live = useLive(run.id, run.view.seq, isLive);
  const purged = live.frame?.purged_s;
  return (
    <ConfirmStep {...props} live={isLive ? { take: () => capture.mutate({}), busy: capture.isPending } : undefined}>
      {!step.keys.length && <Keys run={run} only={step.watches === "ma" ? ["inhibit"] : ["off"]} />}
      {step.watches && <SourceOf run={run} step={step} />}
      {isLive && (
        <div className="space-y-2">
          <LivePanel frame={live.frame} traces={live.traces} connected={live.connected} />
          {live.frame?.course && <p role="status" aria-label="Forecast" className="font-bold">{live.frame.course}</p>}
          {typeof purged === "number" && <p role="status">Below the limit for {purged.toFixed(0)} s.</p>}
          {capture.isError ? <Failure error={capture.error} /> : <p className="text-muted">The live value is taken when it stands still, unless another is typed.</p>}
        </div>
      )}
    </ConfirmStep>
  );
}
