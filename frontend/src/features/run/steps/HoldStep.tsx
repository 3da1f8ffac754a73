import { Radio, RadioGroup, Label } from "@headlessui/react";
import { ApiFailure, type Asked } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { TextField } from "../../../ui/fields";
import { when } from "../../../ui/format";
import { Failure } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { useNow } from "../../../ui/useNow";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend, type NewEvent } from "../useRun";

const LENGTHS = ["30", "60", "90", "120", "240"];

function plannedEnd(minutes: string, now: number): string {
  const m = Number(minutes.replace(",", "."));
  return m > 0 && m <= 10_080 ? `until about ${when(new Date(now + m * 60_000).toISOString())}` : "";
}

/** The hold as it is being entered: its kind and reason as they mostly are, until others are. */
export function useHolding(run: string, step: Asked) {
  const [values, set, clear] = useDraftForm(`${run}/${step.key}`);
  const only = step.options.length === 1 ? step.options[0]?.value : undefined;
  const kind = values.kind ?? only ?? step.usual.kind ?? "";
  const nothing = step.unheld.find((u) => u.kind === kind); // no hold is placed: not needed, or taken out of the plant
  const reason = values.reason ?? (nothing ? "" : step.usual.reason) ?? "";
  const minutes = values.minutes ?? "60";
  return {
    values,
    set,
    kind,
    isOnly: only !== undefined,
    nothing,
    reason,
    minutes,
    label: nothing?.label ?? step.confirm_label,
    made: (): NewEvent => ({
      type: "hold_placed",
      payload: { step: step.key, kind, reason, minutes, agreement: values.agreement ?? "", approval: values.approval ?? "" },
    }),
    stored: clear,
  };
}

/** What is asked of a hold. */
export function HoldFields({ step, form, errors }: { step: Asked; form: ReturnType<typeof useHolding>; errors: Record<string, string> }) {
  const now = useNow(15_000);
  const { values, set, kind, nothing, reason, minutes } = form;
  const why = step.fields.find((f) => f.name === "reason");
  return (
    <>
      {!form.isOnly && (
      <RadioGroup value={kind} onChange={(v: string) => set("kind", v)} className="grid gap-x-4 sm:grid-cols-2">
        <Label className="font-bold sm:col-span-2">Kind of hold</Label>
        {step.options.map((o) => (
          <Radio
            key={o.value}
            value={o.value}
            className="flex min-h-12 cursor-pointer items-center gap-3 border-b border-rule px-2 data-checked:bg-water-soft data-checked:font-bold data-focus:outline-3 data-focus:outline-water"
          >
            {({ checked }) => (
              <>
                <span className={`size-5 shrink-0 rounded-full border-2 ${checked ? "border-[6px] border-water" : "border-rule-strong"}`} aria-hidden="true" />
                {o.label}
              </>
            )}
          </Radio>
        ))}
        {errors.kind && <p className="font-bold text-iron">{errors.kind}</p>}
      </RadioGroup>
      )}
      <div className={nothing ? "" : "grid gap-4 sm:grid-cols-[minmax(0,1fr)_200px]"}>
        <TextField label={nothing?.asks ?? why?.label ?? "Reason"} hint={why?.hint} value={reason} onChange={(v) => set("reason", v)} error={errors.reason} />
        {!nothing && (
          <TextField
            label="Planned length"
            unit="min"
            numeric
            value={minutes}
            onChange={(v) => set("minutes", v)}
            hint={plannedEnd(minutes, now)}
            error={errors.minutes}
          />
        )}
      </div>
      {!nothing && (
        <div className="flex flex-wrap gap-2">
          {LENGTHS.map((m) => (
            <Button key={m} onClick={() => set("minutes", m)} className={minutes === m ? "border-water bg-water-soft" : ""}>
              {m} min
            </Button>
          ))}
        </div>
      )}
      {(errors.agreement || values.agreement) && (
        <TextField label="Who agreed (name and role), and what watches instead" value={values.agreement ?? ""} onChange={(v) => set("agreement", v)} />
      )}
      {(errors.approval || values.approval) && (
        <TextField label="Who approved it (name and role), and what watches meanwhile" value={values.approval ?? ""} onChange={(v) => set("approval", v)} />
      )}
    </>
  );
}

export function HoldStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const form = useHolding(run.id, step);
  const errors = append.error instanceof ApiFailure ? append.error.byField : {};
  const place = () => {
    if (!append.isPending) append.mutate([form.made()], { onSuccess: form.stored });
  };
  return (
    <StepFrame
      step={step}
      onSubmit={place}
      action={
        <Button kind="primary" type="submit" large disabled={append.isPending}>
          {form.label}
        </Button>
      }
    >
      <HoldFields step={step} form={form} errors={errors} />
      {append.isError && <Failure error={append.error} />}
    </StepFrame>
  );
}
