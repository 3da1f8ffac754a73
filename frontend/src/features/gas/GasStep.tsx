import { X } from "lucide-react";
import { useState } from "react";
import { ApiFailure, type Run, type Schemas, type Step } from "../../api/client";
import { useGasOptions } from "../../api/queries";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { day } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Offered } from "../run/Offered";
import { Remarks, STANDING } from "../run/Remarks";
import { StepFrame, type StepProps } from "../run/StepFrame";
import { useAppend } from "../run/useRun";

type Option = Schemas["BottleOption"];

function Bottle({ option, chosen, onChoose }: { option: Option; chosen: boolean; onChoose: () => void }) {
  const { Icon, tone, word } = STANDING[option.standing] ?? { Icon: X, tone: "text-iron", word: option.standing };
  const dead = option.standing === "refuse";
  return (
    <li className={`border-b border-rule border-l-8 px-3 py-1.5 ${chosen ? "border-l-water bg-water-soft" : "border-l-transparent"}`}>
      <div className="flex flex-wrap items-center gap-x-4">
        <span className="min-w-0 flex-1">
          <span className="font-bold">{option.code}</span> {option.holds}
          <span className="block text-sm text-muted">
            {option.litres_left !== null && `${option.litres_left} l left`}
            {option.expires_on && `, good until ${day(option.expires_on)}`}
            {option.applied && `, reads ${option.applied}`}
          </span>
        </span>
        <span className={`inline-flex items-center gap-1 font-bold ${tone}`}>
          <Icon size={18} aria-hidden="true" /> {option.is_proposed ? "best there is" : word}
        </span>
        <Button onClick={onChoose} disabled={chosen} kind={option.is_proposed && !chosen ? "primary" : "plain"} label={`${dead ? "Try" : "Use"} ${option.code}`}>
          {chosen ? "in use" : dead ? "Try it" : "Use it"}
        </Button>
      </div>
      <Remarks remarks={option.remarks} all={chosen} />
    </li>
  );
}

function Role({ run, field }: { run: Run; field: Step["fields"][number] }) {
  const append = useAppend(run);
  const options = useGasOptions(run.id, field.name, run.view.seq);
  const now = run.view.gases.find((g) => g.role === field.name);
  const [fittings, setFittings] = useState<{ regulator?: string; line?: string }>({});
  const [reason, setReason] = useState("");
  if (options.isPending) return <Loading what="the bottles" />;
  if (options.isError) return <Failure error={options.error} />;
  const failure = append.error instanceof ApiFailure ? append.error : null;
  const assign = (bottle: string, regulator: string, line: string, onError?: () => void) =>
    append.mutate([{ type: "gas_assigned", payload: { role: field.name, bottle, regulator, line, reason } }], { onError });
  const choose = (option: Option) => assign(option.code, fittings.regulator ?? option.regulator, fittings.line ?? option.line);
  // With a bottle chosen already, another fitting is judged with it at once; one that is refused is not in use.
  const refit = (changed: { regulator?: string; line?: string }) => {
    const next = { ...fittings, ...changed };
    setFittings(next);
    if (now) assign(now.bottle, next.regulator ?? now.regulator, next.line ?? now.line, () => setFittings({ regulator: now.regulator, line: now.line }));
  };
  const best = options.data.bottles[0];
  const choice = (rows: Schemas["Fitting"][]) => rows.map((f) => ({ value: f.code, label: f.words }));
  return (
    <section aria-label={field.label} className="space-y-2">
      <h3 className="text-lg font-bold">
        {field.label}{" "}
        <span className="font-normal text-muted">
          {options.data.litres} l at {options.data.flow} l/min with the purge
        </span>
      </h3>
      <Offered
        offers={options.data.bottles}
        chosen={now?.bottle ?? ""}
        row={(option) => {
          const chosen = now?.bottle === option.code;
          return <Bottle key={option.code} option={chosen ? { ...option, remarks: now.remarks } : option} chosen={chosen} onChoose={() => choose(option)} />;
        }}
      />
      {failure && <Failure error={failure} />}
      {failure?.field === "reason" && <TextField label="Reason" value={reason} onChange={setReason} />}
      <div className="grid gap-4 sm:grid-cols-2">
        <ChoiceField
          label="Regulator"
          value={fittings.regulator ?? (now?.regulator || best?.regulator || "")}
          options={choice(options.data.regulators)}
          onChange={(regulator) => refit({ regulator })}
        />
        <ChoiceField
          label="Line"
          value={fittings.line ?? (now?.line || best?.line || "")}
          options={choice(options.data.lines)}
          onChange={(line) => refit({ line })}
        />
      </div>
    </section>
  );
}

/** The gases of a run: every bottle judged before gas is spent, the best proposed. */
export function GasStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const roles = step.fields.filter((f) => f.kind === "gas");
  const missing = roles.find((f) => !run.view.gases.some((g) => g.role === f.name));
  // What was looked at by hand counts until a gas is chosen; then the next one that is missing is shown.
  const [looked, look] = useState({ name: "", while: "" });
  const shown = (looked.while === (missing?.name ?? "") && roles.find((f) => f.name === looked.name)) || (missing ?? roles[0]);
  const confirm = () => append.mutate([{ type: "step_confirmed", payload: { step: step.key, values: {}, checks: [] } }]);
  return (
    <StepFrame
      step={step}
      onSubmit={confirm}
      action={
        <Button kind={missing ? "plain" : "primary"} type="submit" large disabled={append.isPending}>
          {step.confirm_label}
        </Button>
      }
    >
      {roles.length > 1 && (
        <div role="group" aria-label="Gases of this run" className="flex flex-wrap gap-2">
          {roles.map((f) => {
            const used = run.view.gases.find((g) => g.role === f.name);
            return (
              <Button key={f.name} onClick={() => look({ name: f.name, while: missing?.name ?? "" })} className={f.name === shown?.name ? "border-water bg-water-soft" : ""}>
                {f.label}: {used ? used.bottle : "to be chosen"}
              </Button>
            );
          })}
        </div>
      )}
      {shown && <Role key={shown.name} run={run} field={shown} />}
      {append.isError && <Failure error={append.error} />}
      {!missing && <Message>Every gas is chosen. What was said of each stays on the record.</Message>}
    </StepFrame>
  );
}
