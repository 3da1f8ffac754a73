import { CircleCheck, TriangleAlert } from "lucide-react";
import { useState, type FormEvent } from "react";
import { Link } from "react-router";
import { ApiFailure, client, unwrap } from "../../api/client";
import { nowSeen } from "../../api/seen";
import { useMay } from "../../app/session";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { day } from "../../ui/format";
import { KeptNote } from "../../ui/KeptNote";
import { Failure } from "../../ui/Message";
import { LeaveIt } from "../../ui/LeaveIt";
import { useKept } from "../../ui/useKept";
import { useChange, type SafetyFunction } from "./functions";

type Member = SafetyFunction["members"][number];

/** The instruments of a function: where each must trip, and until when its last proof test stands. */
export function Members({ of: f }: { of: SafetyFunction }) {
  const mayEdit = useMay("edit the plant");
  const [at, setAt] = useState<string | null>(null); // a tag, or empty for a new one
  return (
    <section aria-label="Instruments">
      <div className="flex items-end gap-3 border-b-2 border-slate">
        <h2 className="mr-auto font-bold">Instruments</h2>
        {mayEdit && at === null && <Button onClick={() => setAt("")}>Put one in</Button>}
      </div>
      {at === "" && <MemberForm of={f} member={null} onDone={() => setAt(null)} />}
      {f.members.map((m) => (
        <div key={m.tag} className="border-b border-rule">
          <div className="grid min-h-13 items-center gap-x-4 py-1 sm:grid-cols-[8rem_1fr_15rem_auto]">
            <Link to={`/plant/${encodeURIComponent(m.tag)}`} className="inline-flex min-h-12 items-center font-bold text-water hover:underline">
              {m.tag}
            </Link>
            <span>
              Trips at {m.required}
              <span className="block text-sm text-muted">{m.service}</span>
              {m.doubt && <span className="block text-sm font-bold text-iron">Not to be relied on: {m.doubt}</span>}
            </span>
            <span className={m.days < 0 ? "font-bold text-iron" : ""}>
              <span className="inline-flex items-center gap-1">
                {m.days < 0 ? <TriangleAlert size={18} aria-hidden="true" /> : <CircleCheck size={18} aria-hidden="true" className="text-kelp" />}
                {m.days < 0 ? `Overdue since ${day(m.until)}` : `Proved until ${day(m.until)}`}
              </span>
              <span className="block text-sm font-normal text-muted">{m.last ? `last on ${day(m.last)}` : "no test in a record yet"}</span>
            </span>
            {mayEdit && at === null && <Button onClick={() => setAt(m.tag)}>Change</Button>}
          </div>
          {at === m.tag && <MemberForm of={f} member={m} onDone={() => setAt(null)} />}
        </div>
      ))}
    </section>
  );
}

function MemberForm({ of: f, member, onDone }: { of: SafetyFunction; member: Member | null; onDone: () => void }) {
  const start = { tag: member?.tag ?? "", reason: "", form: member?.form ?? { trip: "", within: "", direction: f.directions[0]?.value ?? "", since: "" } };
  const kept = useKept(`function/${f.code}/${member?.tag ?? "new"}`, start);
  const { tag, reason, form } = kept.form;
  const change = (name: keyof typeof form) => (value: string) => kept.set((old) => ({ ...old, form: { ...old.form, [name]: value } }));
  const stored = () => {
    kept.stored();
    onDone();
  };
  const at = { path: { code: f.code, tag: tag.trim() } };
  const save = useChange(
    () => unwrap(client.PUT("/api/v1/functions/{code}/members/{tag}/", { params: at, body: { ...form, reason, ...(member && { seen: kept.seen.form }) } })),
    stored,
    (error) => kept.setSeen((was) => ({ ...was, form: nowSeen(was.form, error) })),
  );
  const out = useChange(() => unwrap(client.POST("/api/v1/functions/{code}/members/{tag}/", { params: at, body: { reason } })), stored);
  const error = save.error ?? out.error;
  const errors = error instanceof ApiFailure ? error.byField : {};
  const text = (name: "trip" | "within" | "since", label: string, hint?: string) => (
    <TextField label={label} value={form[name] ?? ""} onChange={change(name)} error={errors[name]} hint={hint} numeric={name !== "since"} unit={name === "since" ? undefined : member?.unit} />
  );
  const submit = (e: FormEvent) => {
    e.preventDefault();
    save.mutate(undefined);
  };
  return (
    <form noValidate onSubmit={submit} className="space-y-3 bg-water-soft p-3">
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      <div className="grid gap-4 sm:grid-cols-2 lg:grid-cols-5">
        {!member && <TextField label="Tag" value={tag} onChange={(v) => kept.set((old) => ({ ...old, tag: v }))} autoFocus error={errors.tag} />}
        {text("trip", "Trips at", member ? undefined : "In its own unit")}
        {text("within", "Give or take")}
        <ChoiceField
          label="Direction"
          value={form.direction ?? ""}
          onChange={change("direction")}
          options={f.directions}
          error={errors.direction}
        />
        {text("since", "Proved last, or put in, on", "Like 2026-03-01; empty: today")}
      </div>
      {member && <TextField label="Why" value={reason} onChange={(v) => kept.set((old) => ({ ...old, reason: v }))} error={errors.reason} />}
      {(save.isError || out.isError) && <Failure error={error} />}
      <div className="flex flex-wrap gap-3">
        <Button type="submit" kind="primary" disabled={save.isPending || !tag.trim()}>
          {member ? "Store" : "Put it in"}
        </Button>
        {member && (
          <Button kind="danger" onClick={() => out.mutate(undefined)} disabled={out.isPending}>
            Take it out of {f.code}
          </Button>
        )}
        <LeaveIt kept={kept} onLeave={onDone} />
      </div>
    </form>
  );
}
