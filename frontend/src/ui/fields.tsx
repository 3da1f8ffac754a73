import { Checkbox, Description, Field, Input, Label, Select, Textarea } from "@headlessui/react";
import { Check } from "lucide-react";
import type { ReactNode, Ref } from "react";

const BOX = "w-full rounded-md border-2 bg-page px-3 min-h-12 text-slate placeholder:text-muted";

interface Common {
  label: string;
  hint?: string;
  error?: string;
  unit?: string;
}

function Frame({ label, hint, error, unit, beside, bare, children }: Common & { children: ReactNode; beside?: boolean; bare?: boolean }) {
  return (
    <Field className={beside ? "flex items-center gap-2 *:last:w-24" : "block"}>
      <Label className={bare ? "sr-only" : beside ? "whitespace-nowrap" : "mb-1 block font-bold"}>
        {label}
        {unit && <span className="font-normal text-muted">, {unit}</span>}
      </Label>
      {children}
      {error ? (
        <Description className={bare ? "sr-only" : "mt-1 font-bold text-iron"}>{error}</Description>
      ) : (
        hint && <Description className="mt-1 text-sm text-muted">{hint}</Description>
      )}
    </Field>
  );
}

interface TextProps extends Common {
  value: string;
  onChange: (value: string) => void;
  type?: "text" | "password" | "search";
  numeric?: boolean;
  name?: string;
  autoFocus?: boolean;
  autoComplete?: string;
  big?: boolean;
  inputRef?: Ref<HTMLInputElement>;
  placeholder?: string;
  beside?: boolean; // its label stands before it, on one line
  bare?: boolean; // its label is only heard: it stands in a table that shows it
}

/** A text field. What is typed stays as typed: nothing is reformatted, clamped or scrolled away. */
export function TextField({ inputRef, ...p }: TextProps) {
  return (
    <Frame {...p}>
      <Input
        ref={inputRef}
        type={p.type ?? "text"}
        name={p.name}
        inputMode={p.numeric ? "decimal" : undefined}
        autoComplete={p.autoComplete ?? "off"}
        autoCapitalize="off"
        spellCheck={false}
        autoFocus={p.autoFocus}
        value={p.value}
        placeholder={p.placeholder}
        invalid={Boolean(p.error)}
        onChange={(e) => p.onChange(e.target.value)}
        className={`${BOX} ${p.error ? "border-iron" : "border-rule-strong"} ${p.big ? "min-h-16 text-4xl font-bold" : ""}`}
      />
    </Frame>
  );
}

export function LongField(p: Common & { value: string; onChange: (value: string) => void; rows?: number }) {
  return (
    <Frame {...p}>
      <Textarea
        rows={p.rows ?? 3}
        value={p.value}
        invalid={Boolean(p.error)}
        onChange={(e) => p.onChange(e.target.value)}
        className={`${BOX} py-2 ${p.error ? "border-iron" : "border-rule-strong"}`}
      />
    </Frame>
  );
}

export function ChoiceField(p: Common & { value: string; onChange: (value: string) => void; options: { value: string; label: string }[] }) {
  return (
    <Frame {...p}>
      <Select
        value={p.value}
        invalid={Boolean(p.error)}
        onChange={(e) => p.onChange(e.target.value)}
        className={`${BOX} ${p.error ? "border-iron" : "border-rule-strong"}`}
      >
        {/* Nothing chosen yet must not look like the first choice. */}
        {!p.options.some((o) => o.value === p.value) && (
          <option value={p.value} disabled>
            choose…
          </option>
        )}
        {p.options.map((o) => (
          <option key={o.value} value={o.value}>
            {o.label}
          </option>
        ))}
      </Select>
    </Frame>
  );
}

/** A line to tick, the whole line is the target. */
export function CheckLine({ label, more, checked, onChange, error }: { label: string; more?: string; checked: boolean; onChange: (on: boolean) => void; error?: string }) {
  return (
    <Field className={`flex min-h-13 items-center gap-3 border-b border-rule ${error ? "bg-iron-soft" : ""}`}>
      <Checkbox
        checked={checked}
        onChange={onChange}
        className="flex size-8 shrink-0 items-center justify-center rounded-md border-2 border-rule-strong bg-page data-checked:border-kelp data-checked:bg-kelp"
      >
        {checked && <Check size={22} strokeWidth={3} className="text-page" aria-hidden="true" />}
      </Checkbox>
      <Label className={`flex-1 cursor-pointer ${more ? "py-1.5" : "py-3"}`}>
        {label}
        {more && <span className="block text-sm text-muted">{more}</span>}
      </Label>
    </Field>
  );
}
