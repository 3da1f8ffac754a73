import type { Run, Step } from "../../api/client";
import { useSignals } from "../../api/queries";
import { ChoiceField } from "../../ui/fields";
import { useAppend } from "../run/useRun";

type Quantity = NonNullable<NonNullable<Step["readings"]>["next"]>["quantities"][number];

function OneSource({ run, quantity, channel }: { run: Run; quantity: Pick<Quantity, "name" | "label" | "unit">; channel: string }) {
  const append = useAppend(run);
  const signals = useSignals(quantity.unit, run.view.instrument.tag, true, quantity.name);
  const chosen = run.view.sources.find((s) => s.quantity === quantity.name && s.channel === channel)?.signal ?? "";
  const listed = signals.data ?? [];
  const options = [
    { value: "", label: "typed by hand" },
    ...listed.map((s) => ({ value: s.id, label: `${s.is_wired ? "" : "other: "}${s.label} (${s.protocol})` })),
  ];
  if (chosen && !listed.some((s) => s.id === chosen)) options.push({ value: chosen, label: chosen });
  return (
    <ChoiceField
      label={`${quantity.label} is`}
      value={chosen}
      options={options}
      error={append.isError ? append.error.message : undefined}
      onChange={(signal) => append.mutate([{ type: "source_chosen", payload: { quantity: quantity.name, channel, signal } }])}
    />
  );
}

/** Where each quantity of the reading comes from: typed, or live from a signal. What is read has a source of its own in each channel. */
export function SourcePicker({ run, quantities }: { run: Run; quantities: Quantity[] }) {
  return (
    <div className="grid gap-4 sm:grid-cols-2">
      {quantities.map((q) => (
        <OneSource key={q.name} run={run} quantity={q} channel={q.source_channel} />
      ))}
    </div>
  );
}

/** The source of the value that a condition step watches. */
export function SourceOf({ run, step }: { run: Run; step: Step }) {
  return <OneSource run={run} quantity={{ name: step.watches, label: "The value", unit: step.watches_unit }} channel={step.watches_channel} />;
}
