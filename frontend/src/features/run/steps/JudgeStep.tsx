import { Label, Radio, RadioGroup } from "@headlessui/react";
import { useState } from "react";
import { ApiFailure } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { LongField } from "../../../ui/fields";
import { Failure, Message } from "../../../ui/Message";
import { useDraft } from "../../../ui/useDraft";
import { Verdict } from "../../../ui/Verdict";
import { Keys } from "../../gas/Keys";
import { StandInForm } from "../../gas/StandInForm";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";

export function JudgeStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const judge = step.judge;
  const [picked, setPicked] = useState<string | null>(null);
  const [reason, setReason] = useDraft(`${run.id}/${step.key}/reason`);
  if (!judge) return null;
  const choice = picked ?? judge.proposal;
  const asked = judge.reasons[choice];
  const set = run.view.evidence.findLast((s) => s.is_complete);
  // Two faults at once are both told; what is left open names its own.
  const signatures = set?.signatures.slice(0, set.signatures[0]?.confidence ? 2 : 1) ?? [];
  const errors = append.error instanceof ApiFailure ? append.error.byField : {};
  const decide = () => {
    if (append.isPending) return;
    append.mutate([{ type: "decision_made", payload: { step: step.key, choice, reason } }], { onSuccess: () => setReason("") });
  };
  const label = step.options.find((o) => o.value === choice)?.label ?? choice;
  return (
    <StepFrame
      step={step}
      onSubmit={decide}
      action={
        <Button kind="primary" type="submit" large disabled={append.isPending}>
          Decide: {label}
        </Button>
      }
    >
      <Keys run={run} only={step.keys} />
      <p className="flex flex-wrap items-baseline gap-x-4 border-y-2 border-slate py-1 text-3xl">
        <Verdict verdict={judge.verdict} size={30} />
        <span className="text-lg">{judge.share} of what is allowed is used</span>
      </p>
      {signatures.map((s) => (
        <p key={s.code}>
          <span className="sr-only">What kind of error: </span>
          <strong>{s.says}</strong> {s.confidence && <span className="text-muted">confidence {s.confidence}</span>}
        </p>
      ))}
      <Message title={`Proposed: ${step.options.find((o) => o.value === judge.proposal)?.label ?? judge.proposal}`}>{judge.reason}</Message>
      <RadioGroup value={choice} onChange={setPicked} className="grid max-w-3xl gap-x-4 sm:grid-cols-2">
        <Label className="font-bold sm:col-span-2">Your decision</Label>
        {step.options.map((o) => (
          <Radio
            key={o.value}
            value={o.value}
            className="flex min-h-12 cursor-pointer items-center gap-3 border-b border-rule px-2 data-checked:bg-water-soft data-checked:font-bold data-focus:outline-3 data-focus:outline-water"
          >
            {({ checked }) => (
              <>
                <span className={`size-5 shrink-0 rounded-full border-2 ${checked ? "border-[6px] border-water" : "border-rule-strong"}`} aria-hidden="true" />
                <span>{o.label}</span>
                {o.value === judge.proposal && <span className="font-normal text-muted">proposed</span>}
              </>
            )}
          </Radio>
        ))}
      </RadioGroup>
      {asked && (
        <div className="max-w-xl">
          <LongField label={asked} value={reason} onChange={setReason} error={errors.reason} rows={2} />
        </div>
      )}
      {signatures.length > 0 && (
        <section>
          <h3 className="font-bold">Why, and what first</h3>
          {signatures.map((s) => (
            <div key={s.code} className="text-sm">
              <p className="text-muted">{s.evidence.join(" ")}</p>
              <p>
                {s.confidence ? "First action" : "What would tell"}: {s.first_action}
              </p>
            </div>
          ))}
        </section>
      )}
      {append.isError && <Failure error={append.error} />}
      {append.error instanceof ApiFailure && append.error.details.needs_stand_in === true && (
        <StandInForm run={run} payload={{ step: step.key, choice, reason }} />
      )}
    </StepFrame>
  );
}
