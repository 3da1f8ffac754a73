import { useMutation } from "@tanstack/react-query";
import { Cable } from "lucide-react";
import { client, unwrap, type Run, type Step } from "../../api/client";
import { useSignals } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Message";
import { ChoiceField } from "../../ui/fields";
import { useAppend } from "../run/useRun";

type Readings = NonNullable<Step["readings"]>;
type Quantity = NonNullable<Readings["next"]>["quantities"][number];

function OneSource({ run, quantity, channel }: { run: Run; quantity: Pick<Quantity, "name" | "label" | "unit">; channel: string }) {
  const append = useAppend(run);
  const signals = useSignals(quantity.unit, run.view.instrument.tag, true, quantity.name, channel);
  const chosen = run.view.sources.find((s) => s.quantity === quantity.name && s.channel === channel)?.signal ?? "";
  const all = signals.data ?? [];
  // Those that can matter: wired to it or made for this quantity; everything only where there are none of these.
  const likely = all.filter((s) => s.is_likely || s.id === chosen);
  const listed = likely.length ? likely : all;
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

/** Takes for every quantity of the set the likeliest signal that is wired to the instrument, where there is one. */
function Wired({ run, all, onDone }: { run: Run; all: Readings["read_live"]; onDone?: () => void }) {
  const append = useAppend(run);
  const tag = run.view.instrument.tag;
  const look = useMutation({
    mutationFn: () =>
      Promise.all(
        all.map(async (q) => {
          const found = await unwrap(client.GET("/api/v1/signals/", { params: { query: { unit: q.unit, tag, quantity: q.name, channel: q.channel } } }));
          return { quantity: q.name, channel: q.channel, signal: found.find((s) => s.is_wired && s.is_likely)?.id ?? "" };
        }),
      ),
    onSuccess: (rows) => {
      const events = rows.filter((r) => r.signal).map((payload) => ({ type: "source_chosen" as const, payload }));
      if (events.length) append.mutate(events, { onSuccess: onDone });
    },
  });
  const none = look.data && !look.data.some((r) => r.signal);
  return (
    <div className="flex flex-wrap items-center gap-3">
      <Button onClick={() => look.mutate()} disabled={look.isPending || append.isPending}>
        <Cable size={18} aria-hidden="true" /> Use what is wired to {tag}
      </Button>
      {none && <span className="text-muted">Nothing is wired to it.</span>}
      {(look.error ?? append.error) && <Failure error={look.error ?? append.error} />}
    </div>
  );
}

/** Where each quantity of the reading comes from: typed, or live from a signal. What is read has a source of its own in each channel. */
export function SourcePicker({ run, readings, onDone }: { run: Run; readings: Readings; onDone?: () => void }) {
  const quantities = readings.next?.quantities ?? [];
  return (
    <div className="space-y-3">
      <Wired run={run} all={readings.read_live} onDone={onDone} />
      <div className="grid gap-4 sm:grid-cols-2">
      {quantities.map((q) => (
        <OneSource key={q.name} run={run} quantity={q} channel={q.source_channel} />
      ))}
      </div>
    </div>
  );
}

/** The source of the value that a condition step watches. */
export function SourceOf({ run, step }: { run: Run; step: Step }) {
  return <OneSource run={run} quantity={{ name: step.watches, label: "The value", unit: step.watches_unit }} channel={step.watches_channel} />;
}
