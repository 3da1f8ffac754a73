import { ArrowDown, ArrowUp } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { ApiFailure } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { TextField } from "../../../ui/fields";
import { Failure, Message } from "../../../ui/Message";
import { useDraft } from "../../../ui/useDraft";
import { Verdict } from "../../../ui/Verdict";
import { EndTimer } from "../EndTimer";
import { StepFrame, type StepProps } from "../StepPanel";
import { useAppend } from "../useRun";

export function ReadingsStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const r = step.readings;
  const next = r?.next ?? null;
  const [indicated, setIndicated] = useDraft(`${run.id}/${step.key}/indicated`);
  const [applied, setApplied] = useState<string | null>(null);
  const field = useRef<HTMLInputElement>(null);
  const failure = append.error instanceof ApiFailure ? append.error : null;
  useEffect(() => field.current?.focus(), [next?.slot]);
  if (!r || !next) return null;
  const appliedText = applied ?? next.nominal;
  const record = (text: string, confirmed = false) => {
    if (append.isPending) return;
    const payload = { step: step.key, slot: next.slot, applied: appliedText, indicated: text, ...(confirmed ? { confirmed_unlikely: true } : {}) };
    append.mutate([{ type: "reading_taken", payload }], {
      onSuccess: () => {
        setIndicated("");
        setApplied(null);
      },
      onSettled: () => field.current?.focus(),
    });
  };
  const last = [...r.rows].reverse().find((row) => !row.struck);
  const suggestion = typeof failure?.details.suggestion === "string" ? failure.details.suggestion : null;
  const asks = failure?.details.can_confirm === true;
  const Way = next.direction === "up" ? ArrowUp : ArrowDown;
  return (
    <StepFrame
      step={step}
      onSubmit={() => record(indicated)}
      action={
        <>
          <span className="mr-auto text-sm text-muted">This output gives {r.believable}.</span>
          <Button kind="primary" type="submit" large disabled={append.isPending}>
            Record reading {next.number}
          </Button>
        </>
      }
    >
      <div className="grid grid-cols-[auto_auto_1fr] items-end gap-x-8 gap-y-1 border-y-2 border-slate py-3">
        <p>
          <span className="block text-sm text-muted">Point</span>
          <span className="inline-flex items-center gap-1 text-3xl font-bold">
            {next.number}
            <span className="text-lg font-normal text-muted">of {r.total}</span>
            <Way size={26} aria-hidden="true" />
            <span className="text-lg font-normal">{next.direction}</span>
          </span>
        </p>
        <p>
          <span className="block text-sm text-muted">Apply ({next.percent})</span>
          <span className="text-3xl font-bold">
            {next.nominal} <span className="text-lg font-normal">{r.unit}</span>
          </span>
        </p>
        <p>
          <span className="block text-sm text-muted">Ideal output</span>
          <span className="text-3xl font-bold text-water">
            {next.ideal} <span className="text-lg font-normal">{r.output_unit}</span>
          </span>
        </p>
      </div>
      <p className="font-bold">{next.how}</p>
      <div className="grid max-w-2xl grid-cols-[minmax(0,1fr)_200px] items-start gap-4">
        <TextField label="Reading" unit={r.output_unit} numeric big value={indicated} onChange={setIndicated} inputRef={field} autoFocus />
        <TextField label="Really applied" unit={r.unit} numeric value={appliedText} onChange={setApplied} hint="Change it if the reference says otherwise." />
      </div>
      {failure && asks && (
        <Message tone="edge">
          <p>{failure.message}</p>
          <div className="mt-2 flex flex-wrap gap-3">
            {suggestion && (
              <Button onClick={() => record(suggestion)} kind="primary">
                Yes, {suggestion} {r.output_unit}
              </Button>
            )}
            <Button onClick={() => record(indicated, true)}>It really is so</Button>
          </div>
        </Message>
      )}
      {failure && !asks && <Failure error={failure} />}
      {failure?.code === "warming_up" && <EndTimer run={run} timer="warm_up" />}
      {last && !failure && (
        <div role="status" aria-label="Last reading" className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
          <span className="text-muted">
            Reading {last.number}, {last.indicated} {r.output_unit}:
          </span>
          <span className="text-2xl font-bold">{last.error}</span>
          <span className="text-xl">
            <Verdict verdict={last.verdict} close={last.is_too_close} size={20} />
          </span>
          <span className="w-full text-sm text-muted">
            {last.says}
            {last.slip && <strong className="text-amber"> Did you mean {last.slip}? Strike it in the table and take it again.</strong>}
          </span>
        </div>
      )}
    </StepFrame>
  );
}
