import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { day, moment } from "../../ui/format";
import { KeptNote } from "../../ui/KeptNote";
import { LeaveIt } from "../../ui/LeaveIt";
import { Failure, Loading } from "../../ui/Message";
import { useKept } from "../../ui/useKept";

type Policies = Schemas["Policies"];
type Row = Schemas["PolicyRow"];

/** What the whole plant goes by, and what a method does otherwise: where it comes from, from when it counts, who changed it and why. */
export function PoliciesPage() {
  const queries = useQueryClient();
  const [asked, ask] = useSearchParams();
  const method = asked.get("method") ?? "";
  const [at, setAt] = useState("");
  const [last, setLast] = useState(""); // where the keyboard was, and is again when the form is gone
  const leave = () => {
    setLast(at);
    setAt("");
  };
  const [search, setSearch] = useState("");
  const found = useQuery({ queryKey: ["policies", method], queryFn: () => unwrap(client.GET("/api/v1/policies/", { params: { query: { method } } })) });
  if (found.isPending) return <Loading what="the policies" />;
  if (found.isError) return <Failure error={found.error} retry={() => void found.refetch()} />;
  const done = (now: Policies) => {
    queries.setQueryData(["policies", method], now);
    void queries.invalidateQueries();
    leave();
  };
  const rows = found.data.rows.filter((r) => r.label.toLowerCase().includes(search.trim().toLowerCase()));
  return (
    <div className="mx-auto max-w-5xl space-y-4 p-4 lg:p-6">
      <h1 className="text-2xl font-bold">Policies</h1>
      <p className="max-w-prose text-muted">
        Where practitioners disagree the plant chooses; a method, and an instrument in its form, may choose otherwise. What is begun keeps what it began with, and it is printed on its record.
      </p>
      <div className="grid max-w-3xl items-end gap-4 sm:grid-cols-2">
        <ChoiceField label="Policies of" value={method} onChange={(v) => ask(v ? { method: v } : {})} options={found.data.methods} />
        <TextField label="Find" type="search" value={search} onChange={setSearch} />
      </div>
      <ul aria-label={`Policies of ${found.data.title}`} className="border-t-2 border-slate bg-page">
        {rows.map((r) => (
          <li key={r.name} className="border-b border-rule px-3 py-1">
            <div className="grid min-h-12 items-center gap-x-4 sm:grid-cols-[20rem_1fr_auto]">
              <div className="py-1 leading-tight">
                <h2 className="text-base">{r.label}</h2>
                {!method && r.counts_for && <p className="text-sm text-muted">{r.counts_for}</p>}
              </div>
              <p>
                <span className="font-bold">{r.words}</span>
                <span className="text-sm text-muted">
                  {r.own ? "" : `, ${r.comes_from}`}
                  {r.own && r.otherwise !== r.words ? `, else ${r.otherwise}` : ""}
                </span>
              </p>
              {found.data.may_set && at !== r.name && (
                <Button onClick={() => setAt(r.name)} autoFocus={last === r.name} label={`Change ${r.label}`}>
                  Change
                </Button>
              )}
            </div>
            {at === r.name && <ChangeForm row={r} method={method} onDone={done} onLeave={leave} />}
            <Changes row={r} />
          </li>
        ))}
        {rows.length === 0 && <li className="px-3 py-3 text-muted">Nothing is called like that here.</li>}
      </ul>
    </div>
  );
}

function Changes({ row }: { row: Row }) {
  const toCome = row.changes.filter((c) => c.is_to_come);
  const [newest] = row.changes.filter((c) => !c.is_to_come);
  const older = row.changes.filter((c) => !c.is_to_come && c !== newest);
  const line = (c: Row["changes"][number]) => `${c.words}${c.before ? `, before ${c.before}` : ""}, from ${day(c.counts_from)}, by ${c.by} on ${moment(c.at)}: ${c.reason}`;
  return (
    <div className="text-sm">
      {toCome.map((c) => (
        <p key={c.at} className="mb-1 border-l-4 border-amber bg-amber-soft px-2 py-1">
          To come: {line(c)}
        </p>
      ))}
      {newest && <p className="pb-1 text-muted">{line(newest)}</p>}
      {older.length > 0 && (
        <details>
          <summary className="min-h-12 cursor-pointer py-3 font-bold text-water">{older.length === 1 ? "One change before" : `${older.length} changes before`}</summary>
          {older.map((c) => (
            <p key={c.at} className="pb-1 text-muted">
              {line(c)}
            </p>
          ))}
        </details>
      )}
    </div>
  );
}

function ChangeForm({ row, method, onDone, onLeave }: { row: Row; method: string; onDone: (now: Policies) => void; onLeave: () => void }) {
  const kept = useKept(`policy/${method}/${row.name}`, { value: row.value, counts_from: "", reason: "" });
  const { form } = kept;
  const change = (name: keyof typeof form) => (text: string) => kept.set((old) => ({ ...old, [name]: text }));
  const store = useMutation({
    mutationFn: (to: string) =>
      unwrap(client.POST("/api/v1/policies/", { body: { method, name: row.name, ...form, value: to } })),
    onSuccess: (now) => {
      kept.stored();
      onDone(now);
    },
  });
  const errors = store.error instanceof ApiFailure ? store.error.byField : {};
  const said = errors[row.name] ?? errors.reason ?? errors.counts_from;
  return (
    <form
      className="space-y-3 py-2"
      onSubmit={(e) => {
        e.preventDefault();
        store.mutate(form.value);
      }}
    >
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      <div className="grid items-start gap-3 sm:grid-cols-[1fr_12rem_1fr]">
        {row.kind === "choice" ? (
          <ChoiceField label={row.label} value={form.value} onChange={change("value")} options={row.options} error={errors[row.name]} />
        ) : (
          <TextField label={row.label} unit={row.unit} hint={row.hint} numeric value={form.value} onChange={change("value")} error={errors[row.name]} autoFocus />
        )}
        <TextField label="Counts from" hint="Empty: today" value={form.counts_from} onChange={change("counts_from")} error={errors.counts_from} />
        <TextField label="Why" value={form.reason} onChange={change("reason")} error={errors.reason} />
      </div>
      {store.isError && !said && <Failure error={store.error} />}
      <div className="flex flex-wrap gap-3">
        <Button kind="primary" type="submit" disabled={store.isPending}>
          Store it
        </Button>
        {row.own && (
          <Button onClick={() => store.mutate("")} disabled={store.isPending}>
            Take it back: {row.otherwise}
          </Button>
        )}
        <LeaveIt kept={kept} onLeave={onLeave} />
      </div>
    </form>
  );
}
