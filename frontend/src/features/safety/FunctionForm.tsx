import type { FormEvent } from "react";
import { ApiFailure, client, unwrap } from "../../api/client";
import { nowSeen } from "../../api/seen";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { KeptNote } from "../../ui/KeptNote";
import { Failure } from "../../ui/Message";
import { useKept } from "../../ui/useKept";
import { useChange, type FunctionForm as Form, type SafetyFunction } from "./functions";

export type Choices = Pick<SafetyFunction, "levels" | "modes">;

/** What a function is and what was assumed of it; added, or changed with a reason. */
export function FunctionForm({ of, start, choices, onDone, onLeave }: { of: SafetyFunction | null; start: Form; choices: Choices; onDone: (now: SafetyFunction) => void; onLeave: () => void }) {
  const kept = useKept(`function/${of?.code ?? "new"}`, { ...start, reason: "" });
  const { form } = kept;
  const save = useChange(
    () => {
      const { reason, ...mine } = form;
      const body = { ...mine, reason, seen: kept.seen };
      return of ? unwrap(client.PUT("/api/v1/functions/{code}/", { params: { path: { code: of.code } }, body })) : unwrap(client.POST("/api/v1/functions/", { body: { ...mine, reason } }));
    },
    (now) => {
      kept.stored();
      onDone(now);
    },
    (error) => kept.setSeen((was) => nowSeen(was, error)),
  );
  const errors = save.error instanceof ApiFailure ? save.error.byField : {};
  const text = (name: keyof Form, label: string, more: { unit?: string; hint?: string; numeric?: boolean } = {}) => (
    <TextField label={label} value={form[name] ?? ""} onChange={(v) => kept.set((f) => ({ ...f, [name]: v }))} error={errors[name]} {...more} />
  );
  const choice = (name: keyof Form, label: string, options: { value: string; label: string }[]) => (
    <ChoiceField label={label} value={form[name] ?? ""} onChange={(v) => kept.set((f) => ({ ...f, [name]: v }))} options={options} error={errors[name]} />
  );
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate(undefined);
  };
  return (
    <form noValidate onSubmit={submit} className="space-y-4">
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      <div className="grid gap-4 sm:grid-cols-2 lg:grid-cols-4">
        {!of && text("code", "Code")}
        <div className="lg:col-span-3">{text("name", "Name")}</div>
        <div className="sm:col-span-2 lg:col-span-4">{text("prevents", "What it prevents", { hint: "The event it stands against, as the safety requirements say" })}</div>
        {choice("level", "Integrity level", choices.levels)}
        {choice("mode", "Demand mode", choices.modes)}
        {text("voting", "Vote of its sensors", { hint: "Like 1oo2, one out of two" })}
        {text("proof_days", "Proof test every", { unit: "days", numeric: true })}
        {text("coverage_percent", "Coverage of the proof test", { unit: "%", numeric: true, hint: "Of the dangerous failures it can find" })}
        {text("life_years", "Renewed after", { unit: "years", numeric: true })}
        {text("beta_percent", "Common cause", { unit: "%", numeric: true })}
        {text("rate_per_hour", "Dangerous undetected failures", { unit: "1/h", numeric: true, hint: "Assumed of one sensor, like 3e-7" })}
        {text("other", "Logic and final element", { numeric: true, hint: "Assumed, in the measure of the function" })}
        <div className="sm:col-span-2 lg:col-span-3">{text("source", "Where the assumed figures come from")}</div>
        {of && (
          <div className="sm:col-span-2 lg:col-span-4">
            <TextField label="Why it is changed" value={form.reason} onChange={(v) => kept.set((f) => ({ ...f, reason: v }))} error={errors.reason} />
          </div>
        )}
      </div>
      {save.isError && <Failure error={save.error} />}
      <div className="flex gap-3">
        <Button type="submit" kind="primary" disabled={save.isPending}>
          Store
        </Button>
        <Button onClick={onLeave}>Leave it</Button>
      </div>
    </form>
  );
}
