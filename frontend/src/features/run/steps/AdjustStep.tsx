import { useEffect, useRef } from "react";
import { ApiFailure, type Run, type Step } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { ChoiceField, TextField } from "../../../ui/fields";
import { Failure, Message } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { Keys } from "../../gas/Keys";
import { ForceForm } from "../../gas/ForceForm";
import { LivePanel } from "../../live/LivePanel";
import { useLive } from "../../live/useLive";
import { Acts, AnotherDevice, Modem, useDevice } from "./Device";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend, type Carried } from "../useRun";

/** A smart transmitter is told to trim itself, to the point applied or to what was measured; what it shows then stands on the record. */
function ByDevice({ run, adjust, measured }: { run: Run; adjust: NonNullable<Step["adjust"]>; measured: string }) {
  const device = useDevice(run);
  const isLive = run.view.sources.some((s) => s.quantity === "device");
  const given = Object.fromEntries(adjust.acts.map((act) => [act.act, act.value || (act.unit ? measured : "")]));
  return (
    <>
      {isLive && <Acts run={run} all={adjust.acts} rows={[]} busy={device.busy} act={(act, value) => device.act.mutate({ act, value })} title="Tell the device" given={given} />}
      {device.error && <Failure error={device.error} />}
      <AnotherDevice run={run} device={device} />
      <Modem run={run} source="" label="It is trimmed" typed="by hand, at the communicator" />
    </>
  );
}

export function AdjustStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const a = step.adjust;
  const [values, set, clear] = useDraftForm(`${run.id}/${step.key}`);
  const before = useRef<HTMLInputElement>(null);
  const count = a?.passes.length ?? 0;
  useEffect(() => before.current?.focus(), [count]);
  const isLive = run.view.sources.some((s) => s.quantity === "indicated");
  const live = useLive(run.id, run.view.seq, isLive);
  if (!a) return null;
  const failure = append.error instanceof ApiFailure ? append.error : null;
  const errors = failure?.byField ?? {};
  const seen = { step: step.key, screw: a.screw, before: values.before ?? "", after: values.after ?? "" };
  const record = (more: Partial<Carried<"adjustment_made">> = {}) => {
    if (append.isPending) return;
    append.mutate([{ type: "adjustment_made", payload: { ...seen, ...more } }], { onSuccess: clear });
  };
  const finish = () => {
    if (append.isPending) return;
    append.mutate([{ type: "step_confirmed", payload: { step: step.key, reason: values.reason ?? "" } }], { onSuccess: clear });
  };
  const ended = !a.target;
  const shown = live.frame?.rows.indicated;
  const take = (name: "before" | "after") => shown?.text && set(name, shown.text);
  return (
    <StepFrame
      step={step}
      onSubmit={ended ? finish : () => record()}
      action={
        ended ? (
          <Button kind="primary" type="submit" large disabled={append.isPending} autoFocus={a.is_converged}>
            {step.confirm_label}
          </Button>
        ) : (
          <>
            {count > 0 && (
              <Button onClick={finish} disabled={append.isPending}>
                Stop adjusting
              </Button>
            )}
            {a.can_refuse && (
              <Button onClick={() => record({ outcome: "refused", said: values.said ?? "" })} disabled={append.isPending}>
                The instrument refused
              </Button>
            )}
            <Button kind="primary" type="submit" large disabled={append.isPending}>
              Record {a.label || a.screw}
            </Button>
          </>
        )
      }
    >
      <Message tone={a.is_stuck ? "edge" : "info"}>{a.says}</Message>
      {a.target && (
        <>
          <div className="grid grid-cols-3 gap-6 border-y-2 border-slate py-3">
            <p>
              <span className="block text-sm text-muted">
                Pass {a.pass_number} of {a.max_passes}
              </span>
              <span className="inline-block text-3xl font-bold first-letter:uppercase">{a.label || a.screw}</span>
            </p>
            <p>
              <span className="block text-sm text-muted">Apply</span>
              <span className="text-3xl font-bold">
                <span className="text-2xl">{a.target.apply}</span>
              </span>
            </p>
            <p>
              <span className="block text-sm text-muted">Ideal, aim {a.target.aim}</span>
              <span className="text-3xl font-bold text-water">
                {a.target.ideal} <span className="text-lg font-normal">{a.output_unit}</span>
              </span>
            </p>
          </div>
          {a.keys.length > 0 && <Keys run={run} only={a.keys} />}
          {isLive && (
            <div className="space-y-2">
              <LivePanel frame={live.frame} traces={live.traces} connected={live.connected} />
              <div className="flex flex-wrap gap-2">
                <Button onClick={() => take("before")} disabled={!shown?.text}>
                  It reads this before
                </Button>
                <Button onClick={() => take("after")} disabled={!shown?.text}>
                  It reads this after
                </Button>
              </div>
            </div>
          )}
          {a.can_refuse && (
            <div className="max-w-xs">
              <ChoiceField
                label="If it refuses: what it says"
                value={values.said ?? ""}
                options={["", ...a.refusals].map((v) => ({ value: v, label: v || "nothing" }))}
                onChange={(v) => set("said", v)}
              />
            </div>
          )}
          <div className="grid max-w-2xl grid-cols-2 gap-4">
            <TextField
              label={`Before ${a.act}ing`}
              unit={a.output_unit}
              numeric
              big
              value={values.before ?? ""}
              onChange={(v) => set("before", v)}
              inputRef={before}
              error={errors.before}
              autoFocus
            />
            <TextField
              label={`After ${a.act}ing`}
              unit={a.output_unit}
              numeric
              big
              value={values.after ?? ""}
              onChange={(v) => set("after", v)}
              error={errors.after}
              hint="Leave empty if it was inside the aim and you left it alone."
            />
          </div>
          {a.acts.length > 0 && <ByDevice key={a.screw} run={run} adjust={a} measured={values.before ?? ""} />}
        </>
      )}
      {(a.is_stuck || (failure?.field === "reason" && !a.is_converged)) && (
        <div className="max-w-2xl">
          <TextField label="What you found, and why you stop" value={values.reason ?? ""} onChange={(v) => set("reason", v)} error={errors.reason} />
        </div>
      )}
      {failure && failure.code !== "stale" && (
        <Message tone={failure.details.can_confirm ? "edge" : "out"}>
          <p>{failure.message}</p>
          {failure.details.can_confirm === true && (
            <Button onClick={() => record({ confirmed_unlikely: true })} className="mt-2">
              It really is so
            </Button>
          )}
          {failure.details.needs_force === true && (
            <ForceForm run={run} payload={seen} needsSecond={failure.details.needs_second === true} needsProof={failure.details.needs_proof === true} record={record} onDone={clear} />
          )}
        </Message>
      )}
    </StepFrame>
  );
}
