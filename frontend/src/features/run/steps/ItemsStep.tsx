import { X } from "lucide-react";
import { useState } from "react";
import { ApiFailure, type Run, type Schemas, type Step } from "../../../api/client";
import { useOffers } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { TextField } from "../../../ui/fields";
import { day } from "../../../ui/format";
import { Failure, Loading, Message } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { Offered } from "../Offered";
import { Remarks, STANDING } from "../Remarks";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend } from "../useRun";
import { StepFields } from "./StepFields";

type Offer = Schemas["Offer"];

function Item({ offer, chosen, onChoose }: { offer: Offer; chosen: boolean; onChoose: () => void }) {
  const { Icon, tone, word } = STANDING[offer.standing] ?? { Icon: X, tone: "text-iron", word: offer.standing };
  const dead = offer.standing === "refuse";
  return (
    <li className={`border-b border-rule border-l-8 px-3 py-1.5 ${chosen ? "border-l-water bg-water-soft" : "border-l-transparent"}`}>
      <div className="flex flex-wrap items-center gap-x-4">
        <span className="min-w-0 flex-1">
          <span className="font-bold">{offer.code}</span> {offer.name}
          <span className="block text-sm text-muted">
            {offer.detail}, good until {day(offer.good_until)}
          </span>
        </span>
        <span className={`inline-flex items-center gap-1 font-bold ${tone}`}>
          <Icon size={18} aria-hidden="true" /> {offer.is_proposed ? "best there is" : word}
        </span>
        <Button onClick={onChoose} disabled={chosen} kind={offer.is_proposed && !chosen ? "primary" : "plain"} label={`${dead ? "Try" : "Use"} ${offer.code}`}>
          {chosen ? "in use" : dead ? "Try it" : "Use it"}
        </Button>
      </div>
      <Remarks remarks={offer.remarks} all={chosen} />
    </li>
  );
}

function Role({ run, field }: { run: Run; field: Step["fields"][number] }) {
  const append = useAppend(run);
  const offers = useOffers(run.id, field.name, run.view.seq);
  const now = run.view.items.find((i) => i.role === field.name);
  const [reason, setReason] = useState("");
  if (offers.isPending) return <Loading what="the kit" />;
  if (offers.isError) return <Failure error={offers.error} />;
  const failure = append.error instanceof ApiFailure ? append.error : null;
  const choose = (code: string) =>
    append.mutate([{ type: "standard_assigned", payload: { role: field.name, code, reason } }], { onSuccess: () => setReason("") });
  return (
    <section aria-label={field.label} className="space-y-1">
      <h3 className="text-lg font-bold">
        {field.label} <span className="text-base font-normal text-muted">{field.hint}</span>
      </h3>
      <Offered
        offers={offers.data}
        chosen={now?.code ?? ""}
        row={(offer) => <Item key={offer.code} offer={offer} chosen={now?.code === offer.code} onChoose={() => choose(offer.code)} />}
      />
      {!offers.data.length && <Message tone="edge">There is nothing of this kind in the kit.</Message>}
      {failure && failure.code !== "stale" && <Failure error={failure} />}
      {failure?.field === "reason" && <TextField label="Why it is changed in the middle" value={reason} onChange={setReason} />}
    </section>
  );
}

/** Kit items that stand for the truth, role by role: each judged before it is used, the best proposed. */
export function ItemsStep({ run, step }: StepProps) {
  const append = useAppend(run);
  const [values, set, clear] = useDraftForm(`${run.id}/${step.key}`);
  const roles = step.fields.filter((f) => f.kind === "item");
  const others = { ...step, fields: step.fields.filter((f) => f.kind !== "item") };
  const missing = roles.some((f) => !run.view.items.some((i) => i.role === f.name));
  const errors = append.error instanceof ApiFailure ? append.error.byField : {};
  const confirm = () =>
    append.mutate([{ type: "step_confirmed", payload: { step: step.key, values, checks: step.checks.map((c) => c.key) } }], { onSuccess: clear });
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
      {roles.map((f) => (
        <Role key={f.name} run={run} field={f} />
      ))}
      {others.fields.length > 0 && (
        <div className="max-w-lg space-y-4">
          <StepFields step={others} values={values} set={set} errors={errors} />
        </div>
      )}
      {append.isError && <Failure error={append.error} />}
    </StepFrame>
  );
}
