import type { ReactNode } from "react";
import { ApiFailure, type Asked } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { CheckLine } from "../../../ui/fields";
import { Failure } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { Keys } from "../../gas/Keys";
import { EndTimer } from "../EndTimer";
import { ReallySo } from "../../../ui/ReallySo";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend, type NewEvent } from "../useRun";
import { keepTold } from "./lastTold";
import type { Beside } from "./FieldTable";
import { Readouts } from "./Readouts";
import { heldValues } from "./held";
import { StepFields } from "./StepFields";
import { useIndicator } from "./useIndicator";

/** What is typed and ticked at a step, kept on the device until it is stored. */
export function useConfirming(run: string, step: Asked) {
  const [values, set, clear, drop] = useDraftForm(`${run}/${step.key}`);
  const [ticks, tick, clearTicks] = useDraftForm(`${run}/${step.key}/checks`);
  const ticked = step.checks.map((c) => c.key).filter((key) => ticks[key]);
  return {
    values,
    set,
    ticked,
    tick,
    made: (sure: string): NewEvent => ({
      type: "step_confirmed",
      payload: { step: step.key, values: { ...heldValues(step, values), ...(sure && { confirmed: sure }) }, checks: ticked },
    }),
    drop,
    stored: () => {
      keepTold(heldValues(step, values));
      clear();
      clearTicks();
    },
  };
}

export type Confirming = ReturnType<typeof useConfirming>;

/** The lines to tick; the first thing to do where nothing is typed before them. */
function Checks({ step, ticked, tick, errors, takesFocus }: { step: Asked; ticked: string[]; tick: Confirming["tick"]; errors: Record<string, string>; takesFocus: boolean }) {
  if (!step.checks.length) return null;
  return (
    <div className="border-t border-rule">
      {step.checks.length > 2 && ticked.length < step.checks.length && (
        <Button onClick={() => step.checks.forEach((c) => tick(c.key, "yes"))} className="my-2" autoFocus={takesFocus}>
          All of these {step.checks.length} are so
        </Button>
      )}
      {step.checks.map((c) => (
        <CheckLine key={c.key} label={c.label} checked={ticked.includes(c.key)} error={errors[c.key]} onChange={(on) => tick(c.key, on ? "yes" : "")} />
      ))}
    </div>
  );
}

/** What a step asks to be typed and ticked. */
export function Confirmed({ step, form, errors, isFirst = true, isBeside = false, table }: { step: Asked; form: Confirming; errors: Record<string, string>; isFirst?: boolean; isBeside?: boolean; table?: Beside }) {
  return (
    <>
      <div className={isBeside ? "grid max-w-4xl items-end gap-4 sm:grid-cols-2" : table ? "space-y-4" : "max-w-lg space-y-4"}>
        <StepFields step={step} values={form.values} set={form.set} errors={errors} takesFocus={isFirst} table={table} />
      </div>
      <Checks step={step} ticked={form.ticked} tick={form.tick} errors={errors} takesFocus={isFirst && !step.fields.length} />
    </>
  );
}

/** live: takes the value from its source when nothing was typed. */
export function ConfirmStep({ run, step, children, live }: StepProps & { children?: ReactNode; live?: { take: () => void; busy: boolean } }) {
  const append = useAppend(run);
  const form = useConfirming(run.id, step);
  const indicator = useIndicator(run, step);
  const isTable = step.beside.length > 0 || step.readouts.length > 0;
  const failure = append.error instanceof ApiFailure ? append.error : null;
  const errors = failure?.byField ?? {};
  const isBeside = step.fields.some((f) => errors[f.name] === failure?.message);
  const confirm = (sure = "") => {
    if (append.isPending || live?.busy) return;
    if (live && !step.fields.some((f) => form.values[f.name])) {
      append.reset();
      live.take();
      return;
    }
    append.mutate([form.made(sure)], { onSuccess: form.stored });
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
      <Readouts run={run} step={step} from={indicator} onTaken={form.drop} onSaved={(name) => form.set(step.fields[0]?.name ?? "", name)} />
      <Confirmed step={step} form={form} errors={errors} table={isTable ? { heads: step.beside, now: indicator.now } : undefined} />
      {append.isError && !isBeside && <Failure error={append.error} />}
      <ReallySo error={append.error} onConfirm={confirm} onTake={form.set} />
      {failure?.code === "warming_up" && <EndTimer run={run} timer={String(failure.details.timer)} />}
    </StepFrame>
  );
}
