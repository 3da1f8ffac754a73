import { useMutation, useQueryClient } from "@tanstack/react-query";
import { Clock, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { client, unwrap, type Schemas } from "../../api/client";
import { useColleagues, useHolds, useReleaseFields } from "../../api/queries";
import { useMay, usePerson } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { clock, moment, span } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Modal } from "../../ui/Modal";
import { useNow } from "../../ui/useNow";

export type HoldRow = Schemas["HoldRow"];
type Act = { act: "release" | "extend" | "hand over"; minutes?: string; reason?: string; to?: string; note?: string; values?: Record<string, string> };

export function useHoldAct(hold: HoldRow, onDone: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (given: Act) =>
      unwrap(
        client.POST("/api/v1/holds/{hold_id}/", {
          params: { path: { hold_id: hold.id } },
          body: { minutes: "", reason: "", to: "", note: "", values: {}, ...given },
        }),
      ),
    onSuccess: (rows) => {
      queries.setQueryData(["holds"], rows);
      void queries.invalidateQueries({ queryKey: ["run", hold.run] });
      onDone();
    },
  });
}

export function ExtendForm({ hold, onDone }: { hold: HoldRow; onDone: () => void }) {
  const act = useHoldAct(hold, onDone);
  const [minutes, setMinutes] = useState("30");
  const [reason, setReason] = useState("");
  return (
    <form
      className="space-y-3"
      onSubmit={(e) => {
        e.preventDefault();
        act.mutate({ act: "extend", minutes, reason });
      }}
    >
      <div className="grid gap-4 sm:grid-cols-[160px_1fr]">
        <TextField label="From now for" unit="min" numeric value={minutes} onChange={setMinutes} />
        <TextField label="Why it takes longer" value={reason} onChange={setReason} autoFocus />
      </div>
      {act.isError && <Failure error={act.error} />}
      <Button kind="primary" type="submit" disabled={act.isPending}>
        Set the new end
      </Button>
    </form>
  );
}

function HandOverForm({ hold, onDone }: { hold: HoldRow; onDone: () => void }) {
  const act = useHoldAct(hold, onDone);
  const people = useColleagues();
  const [to, setTo] = useState("");
  const [note, setNote] = useState("");
  const others = (people.data ?? []).filter((p) => p.username !== hold.holder);
  return (
    <form
      className="space-y-3"
      onSubmit={(e) => {
        e.preventDefault();
        act.mutate({ act: "hand over", to, note });
      }}
    >
      <ChoiceField
        label="Who answers for it from now on"
        value={to}
        onChange={setTo}
        options={[{ value: "", label: "choose" }, ...others.map((p) => ({ value: p.username, label: p.name }))]}
      />
      <TextField label="What the next one must know" value={note} onChange={setNote} />
      {act.isError && <Failure error={act.error} />}
      <Button kind="primary" type="submit" disabled={act.isPending}>
        Hand it over
      </Button>
    </form>
  );
}

function ReleaseForm({ hold, onDone }: { hold: HoldRow; onDone: () => void }) {
  const act = useHoldAct(hold, onDone);
  const fields = useReleaseFields(hold.id);
  const [values, setValues] = useState<Record<string, string>>({});
  const [reason, setReason] = useState("");
  if (fields.isPending) return <Loading what="what is asked" />;
  if (fields.isError) return <Failure error={fields.error} />;
  return (
    <form
      className="space-y-3"
      onSubmit={(e) => {
        e.preventDefault();
        act.mutate({ act: "release", values, reason });
      }}
    >
      <Message tone="edge">Put the instrument back and see its normal reading first. If the reading is not normal, don’t release.</Message>
      {fields.data.map((f) =>
        f.kind === "choice" ? (
          <ChoiceField
            key={f.name}
            label={f.label}
            value={values[f.name] ?? ""}
            onChange={(v) => setValues({ ...values, [f.name]: v })}
            options={[{ value: "", label: "choose" }, ...f.options.map(([value = "", label = ""]) => ({ value, label }))]}
          />
        ) : (
          <TextField key={f.name} label={f.label} numeric={f.kind === "number"} value={values[f.name] ?? ""} onChange={(v) => setValues({ ...values, [f.name]: v })} />
        ),
      )}
      {hold.run_status !== "voided" && <TextField label="Why it comes off before the run is through" value={reason} onChange={setReason} />}
      {act.isError && <Failure error={act.error} />}
      <Button kind="primary" type="submit" disabled={act.isPending}>
        Hold is off
      </Button>
    </form>
  );
}

const FORMS = { extend: ExtendForm, "hand over": HandOverForm, release: ReleaseForm };
const TITLES = { extend: "It takes longer", "hand over": "Hand the hold over", release: "Release the hold" };

export function Due({ hold, now }: { hold: HoldRow; now: number }) {
  const late = now - Date.parse(hold.until);
  if (late > 0)
    return (
      <strong className="inline-flex items-center gap-1 text-iron">
        <TriangleAlert size={18} aria-hidden="true" /> overdue by {span(late)}
      </strong>
    );
  const soon = hold.is_due_soon;
  return (
    <span className={`inline-flex items-center gap-1 ${soon ? "font-bold text-amber" : ""}`}>
      <Clock size={18} aria-hidden="true" /> {soon ? "due back in" : "back in"} {span(-late)}
    </span>
  );
}

/** Every hold that is on: who, why, since, until, and what is not guarded meanwhile. */
export function HoldsPage() {
  const holds = useHolds();
  const now = useNow(5_000);
  const me = usePerson();
  const may = useMay("work on a run");
  const [open, setOpen] = useState<{ hold: HoldRow; what: keyof typeof FORMS } | null>(null);
  if (holds.isPending) return <Loading what="the holds" />;
  if (holds.isError) return <Failure error={holds.error} retry={() => void holds.refetch()} />;
  const Form = open ? FORMS[open.what] : null;
  return (
    <div className="mx-auto max-w-7xl p-4 lg:p-6">
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <h1 className="text-2xl font-bold">Holds: {holds.data.length ? `${holds.data.length} on now` : "none on"}</h1>
        <span className="ml-auto">
          <LinkButton to="/wall">Wall screen</LinkButton>
        </span>
      </div>
      {!holds.data.length && <Message>Every instrument is in service. A hold shows here from the moment it is placed until it is released.</Message>}
      <ul className="border-t-2 border-slate">
        {holds.data.map((h) => (
          <li key={h.id} className={`grid gap-x-6 gap-y-1 border-b border-rule border-l-8 px-4 py-2 lg:grid-cols-[15rem_1fr_auto] ${now > Date.parse(h.until) ? "border-l-iron bg-iron-soft" : "border-l-amber"}`}>
            <div>
              <p className="text-xl font-bold">{h.tag}</p>
              <p className="text-sm text-muted">{h.area}</p>
              <p className="font-bold">{h.kind} is on</p>
            </div>
            <div>
              <p>
                <strong>{h.holder_name}</strong>
                {h.holder === me.username && " (you)"}: {h.reason}
              </p>
              <p className="text-sm">
                Since {moment(h.placed_at)}, planned until {clock(h.until)}. <Due hold={h} now={now} />
              </p>
              <p className="text-sm">{h.risk}</p>
              {h.agreement && <p className="text-sm font-bold text-amber">Together with another of its group, agreed: {h.agreement}</p>}
              {h.run_status === "voided" && <p className="text-sm font-bold text-iron">Its run {h.run_number} was voided; the hold is still on.</p>}
            </div>
            <div className="flex flex-wrap items-center justify-end gap-2">
              {h.run_status !== "voided" && <LinkButton to={`/run/${h.run}`}>{h.at_step || "Open the run"}</LinkButton>}
              {may && (
                <>
                  <Button onClick={() => setOpen({ hold: h, what: "extend" })}>Takes longer</Button>
                  <Button onClick={() => setOpen({ hold: h, what: "hand over" })}>Hand over</Button>
                  <Button kind={h.run_status === "voided" ? "primary" : "plain"} onClick={() => setOpen({ hold: h, what: "release" })}>
                    Release
                  </Button>
                </>
              )}
            </div>
          </li>
        ))}
      </ul>
      {open && Form && (
        <Modal open onClose={() => setOpen(null)} title={`${TITLES[open.what]}: ${open.hold.tag}`}>
          <Form hold={open.hold} onDone={() => setOpen(null)} />
        </Modal>
      )}
    </div>
  );
}
