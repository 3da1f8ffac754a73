import type { ReactNode } from "react";
import { ApiFailure } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { CheckLine, ChoiceField, LongField, TextField } from "../../../ui/fields";
import { Failure } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { Keys } from "../../gas/Keys";
import { EndTimer } from "../EndTimer";
import { ReallySo } from "../../../ui/ReallySo";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";
import type { Step } from "../../../api/client";

/** What a field holds: as typed, what it mostly is, or what was seen of something that may be left empty; the rest is only offered. */
function held(f: Step["fields"][number], values: Record<string, string>): string {
  return values[f.name] ?? (f.usual || (f.required ? "" : f.suggested));
}

/** All that the fields of a step hold, with what was offered filled in. */
export function heldValues(step: Step, values: Record<string, string>): Record<string, string> {
  const seen = Object.fromEntries(step.fields.filter((f) => held(f, values)).map((f) => [f.name, held(f, values)]));
  return { ...seen, ...values };
}

export function StepFields({
  step,
  values,
  set,
  errors,
}: {
  step: Step;
  values: Record<string, string>;
  set: (name: string, value: string) => void;
  errors: Record<string, string>;
}) {
  return step.fields.map((f, i) => {
    const common = {
      label: f.required ? f.label : `${f.label} (may be left empty)`,
      hint: f.hint,
      unit: f.unit && !f.label.includes(f.unit) ? f.unit : "",
      error: errors[f.name],
      value: held(f, values),
      onChange: (v: string) => set(f.name, v),
    };
    if (f.kind === "long") return <LongField key={f.name} {...common} />;
    if (f.kind === "choice") return <ChoiceField key={f.name} {...common} options={f.options} />;
    return (
      <div key={f.name}>
        <TextField {...common} numeric={f.kind === "number"} autoFocus={i === 0} />
        {f.suggested && !f.required && values[f.name] === undefined && <p className="text-sm text-muted">As seen live. Change it if you saw otherwise.</p>}
        {f.suggested && held(f, values) !== f.suggested && (
          <Button onClick={() => set(f.name, f.suggested)} className="mt-1">
            Use {f.suggested}
          </Button>
        )}
      </div>
    );
  });
}

/** live: takes the value from its source when nothing was typed. */
export function ConfirmStep({ run, step, children, live }: StepProps & { children?: ReactNode; live?: { take: () => void; busy: boolean } }) {
  const append = useAppend(run);
  const [values, set, clear] = useDraftForm(`${run.id}/${step.key}`);
  const [ticks, tick, clearTicks] = useDraftForm(`${run.id}/${step.key}/checks`);
  const ticked = step.checks.map((c) => c.key).filter((key) => ticks[key]);
  const failure = append.error instanceof ApiFailure ? append.error : null;
  const errors = failure?.byField ?? {};
  const isBeside = step.fields.some((f) => errors[f.name] === failure?.message);
  const confirm = (sure = "") => {
    if (append.isPending || live?.busy) return;
    if (live && !step.fields.some((f) => values[f.name])) {
      append.reset();
      live.take();
      return;
    }
    append.mutate([{ type: "step_confirmed", payload: { step: step.key, values: { ...heldValues(step, values), ...(sure && { confirmed: sure }) }, checks: ticked } }], {
      onSuccess: () => {
        clear();
        clearTicks();
      },
    });
  };
  return (
    <StepFrame
      step={step}
      onSubmit={() => confirm()}
      action={
        <Button kind="primary" type="submit" large disabled={append.isPending} autoFocus={!step.fields.length && !step.checks.length}>
          {step.confirm_label}
        </Button>
      }
    >
      {children}
      <Keys run={run} only={step.keys} />
      <div className="max-w-lg space-y-4">
        <StepFields step={step} values={values} set={set} errors={errors} />
      </div>
      {step.checks.length > 0 && (
        <div className="border-t border-rule">
          {step.checks.length > 2 && ticked.length < step.checks.length && (
            <Button onClick={() => step.checks.forEach((c) => tick(c.key, "yes"))} className="my-2">
              All of these {step.checks.length} are so
            </Button>
          )}
          {step.checks.map((c) => (
            <CheckLine
              key={c.key}
              label={c.label}
              checked={ticked.includes(c.key)}
              error={errors[c.key]}
              onChange={(on) => tick(c.key, on ? "yes" : "")}
            />
          ))}
        </div>
      )}
      {append.isError && !isBeside && <Failure error={append.error} />}
      <ReallySo error={append.error} onConfirm={confirm} onTake={set} />
      {failure?.code === "warming_up" && <EndTimer run={run} timer={String(failure.details.timer)} />}
    </StepFrame>
  );
}
