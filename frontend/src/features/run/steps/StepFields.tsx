import type { Asked } from "../../../api/client";
import { Button } from "../../../ui/Button";
import { ChoiceField, LongField, TextField } from "../../../ui/fields";
import { FieldTable, type Beside } from "./FieldTable";
import { held } from "./held";
import { lastTold } from "./lastTold";

export function StepFields({
  step,
  values,
  set,
  errors,
  takesFocus = true,
  table,
}: {
  step: Asked;
  values: Record<string, string>;
  set: (name: string, value: string) => void;
  errors: Record<string, string>;
  takesFocus?: boolean;
  table?: Beside;
}) {
  const inTable = table ? step.fields.filter((f) => f.kind === "number") : [];
  const rest = step.fields.filter((f) => !inTable.includes(f));
  const others = rest.map((f, i) => {
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
        <TextField {...common} numeric={f.kind === "number"} autoFocus={takesFocus && i === 0 && !table} />
        {f.suggested && !f.required && values[f.name] === undefined && <p className="text-sm text-muted">As seen live. Change it if you saw otherwise.</p>}
        {offered && held(f, values) !== offered && (
          <Button onClick={() => set(f.name, offered)} className="mt-1">
            Use {offered}
          </Button>
        )}
      </div>
    );
  });
  if (!table) return others;
  return [<FieldTable key="table" {...table} fields={inTable} values={values} set={set} errors={errors} takesFocus={takesFocus} />, ...others];
}

