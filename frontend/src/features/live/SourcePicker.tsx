import type { Run, Step } from "../../api/client";
import { useSignals } from "../../api/queries";
import { ChoiceField } from "../../ui/fields";
import { useAppend } from "../run/useRun";

type Quantity = NonNullable<NonNullable<Step["readings"]>["next"]>["quantities"][number];

function OneSource({ run, quantity, channel }: { run: Run; quantity: Quantity; channel: string }) {
  const append = useAppend(run);
  const signals = useSignals(quantity.unit, run.view.instrument.tag, true);
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
export function SourcePicker({ run, quantities, channel }: { run: Run; quantities: Quantity[]; channel: string }) {
  return (
    <div className="grid gap-4 sm:grid-cols-2">
      {quantities.map((q) => (
        <OneSource key={q.name} run={run} quantity={q} channel={q.name === "applied" ? "" : channel} />
      ))}
    </div>
  );
}

/** The source of one value at a condition step. */
export function SourceOf({ run, quantity }: { run: Run; quantity: string }) {
  const unit = quantity === "ma" ? "mA" : run.view.instrument.unit;
  const asked = { name: quantity, label: "The value", unit, expected: "", hint: "", required: true, is_live_only: false, believable: "" };
  return <OneSource run={run} quantity={asked} channel="" />;
}
