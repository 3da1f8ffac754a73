import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { useColleagues, useReleaseFields } from "../../api/queries";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { Failure, Loading, Message } from "../../ui/Message";
import { ReallySo } from "../../ui/ReallySo";

export type HoldRow = Schemas["HoldRow"];
type Act = { act: "release" | "extend" | "hand over" | "accept"; minutes?: string; reason?: string; approval?: string; to?: string; note?: string; values?: Record<string, string> };

export function useHoldAct(hold: HoldRow, onDone: () => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: (given: Act) =>
      unwrap(
        client.POST("/api/v1/holds/{hold_id}/", {
          params: { path: { hold_id: hold.id } },
          body: { minutes: "", reason: "", approval: "", to: "", note: "", values: {}, ...given },
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
  const [approval, setApproval] = useState("");
  const needs = approval || (act.error instanceof ApiFailure && act.error.details.needs_approval === true);
  return (
    <form
      className="space-y-3"
      onSubmit={(e) => {
        e.preventDefault();
        act.mutate({ act: "extend", minutes, reason, approval });
      }}
    >
      <div className="grid gap-4 sm:grid-cols-[160px_1fr]">
        <TextField label="From now for" unit="min" numeric value={minutes} onChange={setMinutes} />
        <TextField label="Why it takes longer" value={reason} onChange={setReason} autoFocus />
      </div>
      {needs && <TextField label="Who approved it (name and role), and what watches meanwhile" value={approval} onChange={setApproval} />}
      {act.isError && <Failure error={act.error} />}
      <Button kind="primary" type="submit" disabled={act.isPending}>
        Set the new end
      </Button>
    </form>
  );
}

export function HandOverForm({ hold, onDone }: { hold: HoldRow; onDone: () => void }) {
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
        label="Who shall answer for it"
        hint="Until they have accepted it, it is yours."
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

export function ReleaseForm({ hold, onDone }: { hold: HoldRow; onDone: () => void }) {
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
      <ReallySo
        error={act.error}
        onConfirm={(confirmed) => act.mutate({ act: "release", values: { ...values, confirmed }, reason })}
        onTake={(field, value) => setValues({ ...values, [field]: value })}
      />
      <Button kind="primary" type="submit" disabled={act.isPending}>
        Hold is off
      </Button>
    </form>
  );
}
