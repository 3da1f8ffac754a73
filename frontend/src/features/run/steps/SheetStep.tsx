import { TriangleAlert } from "lucide-react";
import { useEffect, useRef, useState, type ReactNode } from "react";
import { ApiFailure, type Asked, type Run, type Schemas } from "../../../api/client";
import { useAllOffers } from "../../../api/queries";
import { Button } from "../../../ui/Button";
import { Failure, Loading } from "../../../ui/Message";
import { ReallySo } from "../../../ui/ReallySo";
import { useDraftForm } from "../../../ui/useDraft";
import { Keys } from "../../gas/Keys";
import { StepFrame, type StepProps } from "../StepFrame";
import { useAppend, type NewEvent } from "../useRun";
import { Confirmed, useConfirming } from "./ConfirmStep";
import { HoldFields, useHolding } from "./HoldStep";
import { Choice } from "./ReferencesStep";
import { ReleaseFields, useReleasing } from "./ReleaseStep";

type Offers = Record<string, Schemas["Offer"][]>;

/** What a part of the sheet adds to what is stored. */
interface Part {
  made: (sure: string) => NewEvent[];
  stored: () => void;
  take: (field: string, value: string) => void;
  label: string;
}

interface PartProps {
  run: Run;
  step: Asked;
  error: unknown;
  errors: Record<string, string>;
  isFirst: boolean;
  offers: Offers;
  onChange: (key: string, part: Part) => void;
}

function useTold({ step, onChange }: PartProps, part: Part) {
  useEffect(() => onChange(step.key, part));
}

/** Of fields that were asked about on the whole sheet, those of one step. */
function ownOf(step: Asked) {
  const isOwn = (name: string) => step.fields.some((f) => f.name === name);
  return { isOwn, own: (sure: string) => sure.split(",").filter(isOwn).join(",") };
}

function ConfirmPart(props: PartProps) {
  const { run, step, errors, isFirst } = props;
  const form = useConfirming(run.id, step);
  const { isOwn, own } = ownOf(step);
  useTold(props, { made: (sure) => [form.made(own(sure))], stored: form.stored, take: (f, v) => isOwn(f) && form.set(f, v), label: step.confirm_label });
  return <Confirmed step={step} form={form} errors={errors} isFirst={isFirst} isBeside />;
}

function HoldPart(props: PartProps) {
  const form = useHolding(props.run.id, props.step);
  useTold(props, { made: () => [form.made()], stored: form.stored, take: () => {}, label: form.label });
  return <HoldFields step={props.step} form={form} errors={props.errors} />;
}

function ReleasePart(props: PartProps) {
  const form = useReleasing(props.run, props.step, props.error);
  const { isOwn, own } = ownOf(props.step);
  useTold(props, { made: (sure) => form.made(own(sure)), stored: form.stored, take: (f, v) => isOwn(f) && form.set(f, v), label: props.step.confirm_label });
  return (
    <>
      <Keys run={props.run} only={["reset", "release"]} />
      <ReleaseFields step={props.step} form={form} errors={props.errors} isBeside />
    </>
  );
}

/** Those that will do without a word. */
function good(offers: Schemas["Offer"][]) {
  return offers.filter((o) => o.standing === "good");
}

/** References of which at least one will do: the only one that was used last time stands chosen already. The others have a screen of their own. */
function ChosenPart(props: PartProps) {
  const { run, step, offers, errors } = props;
  const [picked, pick, clear] = useDraftForm(`${run.id}/${step.key}/chosen`);
  const roles = step.fields.map((f) => {
    const rows = offers[f.name] ?? [];
    return { ...f, rows: good(rows), code: picked[f.name] ?? rows.find((o) => o.is_usual)?.code ?? "" };
  });
  useTold(props, {
    made: () => [
      ...roles.filter((r) => r.code).map((r): NewEvent => ({ type: "reference_assigned", payload: { step: step.key, role: r.name, code: r.code, reason: "" } })),
      { type: "step_confirmed", payload: { step: step.key } },
    ],
    stored: clear,
    take: () => {},
    label: step.confirm_label,
  });
  return (
    <>
      {roles.map((r) => (
        <section key={r.name} aria-label={r.label} className="grid grid-cols-[5.5rem_minmax(0,1fr)] gap-x-2 border-t border-rule">
          <h4 className="py-1 text-sm text-muted">{r.label}</h4>
          <ul>
            {r.rows.map((o) => (
              <Choice key={o.code} r={o} chosen={o.code === r.code} tur={o.reaches} busy={false} isBrief onChoose={() => pick(r.name, o.code)} />
            ))}
          </ul>
          {errors[r.name] && <p className="col-span-2 font-bold text-iron">{errors[r.name]}</p>}
        </section>
      ))}
    </>
  );
}

function asksReference(step: Asked): boolean {
  return step.fields.some((f) => f.kind === "reference");
}

function partOf(step: Asked) {
  if (step.kind === "hold") return HoldPart;
  if (step.kind === "release") return ReleasePart;
  return asksReference(step) ? ChosenPart : ConfirmPart;
}

function Section({ step, children, onOther }: { step: Asked; children: ReactNode; onOther: () => void }) {
  return (
    <section aria-label={step.title} className="space-y-2">
      <div className="flex items-baseline border-t-2 border-slate pt-1">
        <div className="flex-1">
          <h3 className="inline pr-2 font-bold">{step.title}</h3> <span className="text-sm">{asksReference(step) ? "" : step.instruction}</span>
        </div>
        {asksReference(step) && (
          <button type="button" className="-my-2 min-h-12 font-bold text-water underline" onClick={onOther}>
            Take another one
          </button>
        )}
      </div>
      {step.cautions.map((c) => (
        <p key={c} className="flex gap-2 border-l-8 border-amber bg-amber-soft px-3 py-1">
          <TriangleAlert size={18} aria-hidden="true" className="mt-0.5 shrink-0 text-amber" />
          <span>{c}</span>
        </p>
      ))}
      {children}
    </section>
  );
}

/** Several steps of one phase on one screen, stored together or not at all. Where references are still to be chosen it ends before them. */
export function SheetStep({ run, step, alone }: StepProps & { alone: ReactNode }) {
  const append = useAppend(run, { together: true });
  const parts = useRef(new Map<string, Part>());
  const [label, setLabel] = useState("");
  const beside = run.view.beside;
  const roles = beside.filter(asksReference).flatMap((s) => s.fields.map((f) => f.name));
  const [others, setOthers] = useState("");
  const parted = useRef<HTMLDivElement>(null);
  // On a long sheet the field that was refused, and what is asked about it, must come into sight.
  useEffect(() => {
    if (append.error) parted.current?.querySelector("[data-invalid]")?.scrollIntoView?.({ block: "center" });
  }, [append.error]);
  const { offers, isPending } = useAllOffers(run.id, roles, run.view.seq);
  if (isPending) return <Loading what="the kit" />;
  const end = beside.findIndex((s) => asksReference(s) && (others === s.key || s.fields.some((f) => f.required && !good(offers[f.name] ?? []).length)));
  const asked = end < 0 ? beside : beside.slice(0, end);
  const shown: Asked[] = [step, ...asked];
  if (shown.length === 1) return alone;
  const failure = append.error instanceof ApiFailure ? append.error : null;
  const errors = failure?.byField ?? {};
  const isBeside = shown.some((s) => s.fields.some((f) => errors[f.name] === failure?.message));
  const every = () => shown.flatMap((s) => parts.current.get(s.key) ?? []);
  const confirm = (sure = "") => {
    if (append.isPending) return;
    const held = every();
    append.mutate(held.flatMap((part) => part.made(sure)), { onSuccess: () => held.forEach((part) => part.stored()) });
  };
  const last = shown.at(-1);
  const namesScreen = asked.at(-1)?.names_screen === true;
  const keep = (key: string, made: Part) => {
    parts.current.set(key, made);
    if (key === last?.key) setLabel(made.label); // what a hold's button says changes with its kind
  };
  return (
    <StepFrame
      step={step}
      onSubmit={() => confirm()}
      action={
        <Button kind="primary" type="submit" large disabled={append.isPending}>
          {namesScreen ? label : step.confirm_label}
        </Button>
      }
    >
      <div ref={parted} className="space-y-3">
        <Keys run={run} only={step.keys} />
        {shown.map((s, n) => {
          const Of = partOf(s);
          const part = <Of key={s.key} run={run} step={s} error={append.error} errors={errors} isFirst={n === 0} offers={offers} onChange={keep} />;
          return n === 0 ? part : <Section key={s.key} step={s} onOther={() => setOthers(s.key)}>{part}</Section>;
        })}
      </div>
      {append.isError && !isBeside && <Failure error={append.error} />}
      <ReallySo error={append.error} onConfirm={confirm} onTake={(field, value) => every().forEach((part) => part.take(field, value))} />
    </StepFrame>
  );
}
