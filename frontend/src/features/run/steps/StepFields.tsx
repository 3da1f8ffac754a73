import type { Asked } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { ChoiceField, LongField, TextField } from "../../../ui/fields";
import { lastTold } from "./lastTold";

/** What a field holds: as typed, what it mostly is, or what was seen of something that may be left empty; the rest is only offered. */
function held(f: Asked["fields"][number], values: Record<string, string>): string {
  return values[f.name] ?? (f.usual || (f.required ? "" : f.suggested));
}

/** All that the fields of a step hold, with what was offered filled in. */
export function heldValues(step: Asked, values: Record<string, string>): Record<string, string> {
  const seen = Object.fromEntries(step.fields.filter((f) => held(f, values)).map((f) => [f.name, held(f, values)]));
  return { ...seen, ...values };
}

export function StepFields({
  step,
  values,
  set,
  errors,
  takesFocus = true,
}: {
  step: Asked;
  values: Record<string, string>;
  set: (name: string, value: string) => void;
  errors: Record<string, string>;
  takesFocus?: boolean;
}) {
  return step.fields.map((f, i) => {
    const offered = f.suggested || (f.usual ? "" : lastTold(f.name));
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
        <TextField {...common} numeric={f.kind === "number"} autoFocus={takesFocus && i === 0} />
        {f.suggested && !f.required && values[f.name] === undefined && <p className="text-sm text-muted">As seen live. Change it if you saw otherwise.</p>}
        {offered && held(f, values) !== offered && (
          <Button onClick={() => set(f.name, offered)} className="mt-1">
            Use {offered}
          </Button>
        )}
      </div>
    );
  });
}

