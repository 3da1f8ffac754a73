import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState, type ReactNode } from "react";
import { useNavigate, useParams } from "react-router";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { nowSeen } from "../../api/seen";
import { useInstrument, useInstruments } from "../../api/queries";
import { Button, LinkButton } from "../../ui/Button";
import { CheckLine, ChoiceField, TextField } from "../../ui/fields";
import { KeptNote } from "../../ui/KeptNote";
import { Failure, Loading, Message } from "../../ui/Message";
import { useKept } from "../../ui/useKept";

type Form = Schemas["InstrumentForm"];

const EMPTY: Form = {
  tag: "", serial: "", service: "", area: "", family: "", method: "", unit: "kPa", lrv: "", urv: "",
  output_lo: "4", output_hi: "20", output_unit: "mA", transfer: "linear", cutoff_percent: "0", transfer_table: "", tolerance_value: "0.5",
  tolerance_basis: "span", tolerance_combine: "single", tolerance2_value: "", tolerance2_basis: "unit", division: "0", warm_up_min: "0",
  is_adjustable: true, hazards: "", feeds: "", voting_group: "", voting: "", zone: "", points_percent: "0 25 50 75 100", cycles: "1", interval_days: "365", reason: "",
  maker: "", model: "", device_revision: "", asset_number: "", system: "", ex_marking: "", access: "", skills: "", permit_kind: "", people: "1", work_min: "0", documents: "", due_rule: "fixed", grace_days: "0",
  before_on: "", before_by: "", before_result: "",
  policy: {}, details: {},
};

function Group({ title, children }: { title: string; children: ReactNode }) {
  return (
    <fieldset className="border-t-2 border-slate pt-2">
      <legend className="pr-3 text-lg font-bold">{title}</legend>
      <div className="grid gap-x-5 gap-y-4 sm:grid-cols-2 lg:grid-cols-4">{children}</div>
    </fieldset>
  );
}

function Detail({ field, value, error, onChange }: { field: Schemas["DetailField"]; value: unknown; error?: string; onChange: (v: unknown) => void }) {
  if (field.kind === "flag") return <CheckLine label={field.label} checked={value === true} onChange={onChange} error={error} />;
  const text = typeof value === "string" || typeof value === "number" ? String(value) : "";
  const common = { label: field.label, unit: field.unit, hint: field.hint, value: text, onChange, error };
  if (field.kind === "choice") {
    const options = field.options.some((o) => o.value === "") ? field.options : [{ value: "", label: "as usual" }, ...field.options];
    return <ChoiceField {...common} options={options} />;
  }
  return (
    <div className={field.kind === "text" ? "sm:col-span-2" : ""}>
      <TextField {...common} numeric={field.kind === "number"} />
    </div>
  );
}

interface PolicyProps {
  fields: Schemas["DetailField"][];
  values: Record<string, unknown>;
  errors: Record<string, string>;
  onChange: (values: Record<string, unknown>) => void;
}

/** Policies that this instrument has of its own. Those already set, or that have a fault, are always in view. */
function OwnPolicies({ fields, values, errors, onChange }: PolicyProps) {
  const set = fields.filter((f) => values[f.name] || errors[f.name]);
  const [all, setAll] = useState(false);
  const shown = all ? fields : set;
  return (
    <Group title="Policies of its own">
      {!shown.length && <p className="sm:col-span-2 lg:col-span-3">None: it follows the plant and its method.</p>}
      {shown.map((f) => (
        <Detail
          key={f.name}
          field={{ ...f, hint: f.hint || (f.kind === "choice" ? "" : "Empty: as the plant has it"), options: f.options.length ? [{ value: "", label: "as the plant has it" }, ...f.options] : [] }}
          value={values[f.name]}
          error={errors[f.name]}
          onChange={(v) => onChange({ ...values, [f.name]: v })}
        />
      ))}
      {!all && (
        <div className="self-end">
          <Button onClick={() => setAll(true)}>Set a policy…</Button>
        </div>
      )}
    </Group>
  );
}

export function InstrumentForm() {
  const { tag } = useParams();
  const existing = useInstrument(tag ?? "");
  const plant = useInstruments({ search: "", area: "", family: "", page: 1 });
  if (!plant.data) return plant.isError ? <Failure error={plant.error} /> : <Loading what="the register" />;
  const family = plant.data.choices.family?.[0]?.value ?? "";
  const blank = { ...EMPTY, family, method: plant.data.methods[family]?.[0] ?? "" };
  if (tag && existing.isPending) return <Loading what={tag} />;
  if (tag && existing.isError) return <Failure error={existing.error} />;
  return <Fields tag={tag} start={tag && existing.data ? { ...existing.data.form, reason: "" } : blank} plant={plant.data} />;
}

function Fields({ tag, start, plant }: { tag?: string; start: Form; plant: Schemas["InstrumentPage"] }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const kept = useKept<Form>(`instrument/${tag ?? "new"}`, start);
  const { form, seen } = kept;
  const setForm = kept.set;
  const save = useMutation({
    mutationFn: async () => {
      if (tag) await unwrap(client.PUT("/api/v1/instruments/{tag}/", { params: { path: { tag } }, body: { ...form, seen } }));
      else await unwrap(client.POST("/api/v1/instruments/", { body: form }));
    },
    // What another changed meanwhile has been told: stored again, this form is meant.
    onError: (error) => kept.setSeen((was) => nowSeen(was, error)),
    onSuccess: () => {
      kept.stored();
      void queries.invalidateQueries();
      void navigate(`/plant/${encodeURIComponent(form.tag.trim())}`);
    },
  });
  const errors = save.error instanceof ApiFailure ? save.error.byField : {};
  const change = <K extends keyof Form>(name: K, value: Form[K]) => setForm((old) => ({ ...old, [name]: value }));
  const text = (name: keyof Form & string, label: string, more: { unit?: string; hint?: string; numeric?: boolean; autoFocus?: boolean } = {}) => (
    <TextField label={label} value={String(form[name] ?? "")} onChange={(v) => change(name, v)} error={errors[name]} {...more} />
  );
  const choice = (name: keyof Form & string, label: string, like: string = name) => (
    <ChoiceField
      label={label}
      value={String(form[name] ?? "")}
      onChange={(v) => change(name, v)}
      options={plant.choices[like] ?? [{ value: String(form[name] ?? ""), label: String(form[name] ?? "") }]}
      error={errors[name]}
    />
  );
  const areas = [{ value: "", label: "Choose…" }, ...plant.areas.map((a) => ({ value: a.code, label: a.name }))];
  const details: Record<string, unknown> = form.details ?? {};
  const asked = plant.details.filter((d) => d.methods.includes(form.method));
  const two = form.tolerance_combine !== "single";
  return (
    <form
      noValidate
      className="mx-auto max-w-6xl space-y-6 p-4 lg:p-6"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      <h1 className="text-2xl font-bold">{tag ? `Edit ${tag}` : "Add an instrument"}</h1>
      <Group title="What it is">
        {text("tag", "Tag", { autoFocus: true })}
        {text("serial", "Serial")}
        {text("maker", "Manufacturer")}
        {text("model", "Model")}
        {text("device_revision", "Revision", { hint: "Of hardware or software" })}
        {text("asset_number", "Asset number")}
        <div className="sm:col-span-2">{text("service", "Service")}</div>
        <ChoiceField label="Area" value={form.area} onChange={(v) => change("area", v)} options={areas} error={errors.area} />
        {text("system", "System")}
        <ChoiceField
          label="Family"
          value={form.family}
          onChange={(family) => setForm((old) => ({ ...old, family, method: plant.methods[family]?.[0] ?? old.method }))}
          options={plant.choices.family ?? []}
          error={errors.family}
        />
        <div className="sm:col-span-2">
          <ChoiceField
            label="Method"
            value={form.method}
            onChange={(v) => change("method", v)}
            options={(plant.choices.method ?? []).filter((o) => o.value === form.method || plant.methods[form.family]?.includes(o.value))}
            error={errors.method}
          />
        </div>
      </Group>
      <Group title="Range and output">
        {text("lrv", "LRV", { numeric: true, hint: "Lower range value" })}
        {text("urv", "URV", { numeric: true, hint: "Upper range value" })}
        {text("unit", "Unit")}
        {choice("transfer", "Transfer")}
        {text("output_lo", "Output at LRV", { numeric: true })}
        {text("output_hi", "Output at URV", { numeric: true })}
        {text("output_unit", "Output unit")}
        {form.transfer === "sqrt" && text("cutoff_percent", "Cut-off", { numeric: true, unit: "% of output", hint: "Linear below it" })}
        {form.transfer === "table" && (
          <div className="sm:col-span-2">{text("transfer_table", "Table", { unit: "input % and output %", hint: "Like 0 0; 50 40; 100 100" })}</div>
        )}
      </Group>
      <Group title="Tolerance">
        {choice("tolerance_combine", "Form")}
        {text("tolerance_value", "Tolerance", { numeric: true })}
        {choice("tolerance_basis", "Basis")}
        {[form.tolerance_basis, two ? form.tolerance2_basis : ""].includes("division") && text("division", "Scale division", { numeric: true, unit: form.unit })}
        {two && text("tolerance2_value", "Second tolerance", { numeric: true })}
        {two && choice("tolerance2_basis", "Second basis", "tolerance_basis")}
      </Group>
      <Group title="The work">
        {text("points_percent", "Test points", { unit: "%", hint: "Empty: 0 25 50 75 100" })}
        {text("cycles", "Cycles", { numeric: true })}
        {text("warm_up_min", "Warm-up", { numeric: true, unit: "min" })}
        {text("work_min", "Attention it takes", { numeric: true, unit: "min", hint: "0: as its method usually takes" })}
        {choice("due_rule", "Due by")}
        {text("interval_days", "Interval", { numeric: true, unit: "days" })}
        {text("grace_days", "Grace", { numeric: true, unit: "days", hint: "After the due date, before it is overdue" })}
        {text("before_on", "Last calibrated on, before this register", { hint: "Like 2026-03-24; empty: not known" })}
        {text("before_by", "By whom")}
        {choice("before_result", "With which result")}
        <div className="sm:col-span-2">{text("feeds", "Feeds (alarms, trips, control)")}</div>
        {text("voting_group", "Voting group")}
        {text("voting", "Vote", { hint: "Like 2oo3, two out of three" })}
        {text("zone", "Zone it watches")}
        <CheckLine label="It can be adjusted" checked={form.is_adjustable} onChange={(on) => change("is_adjustable", on)} />
        {tag && <div className="sm:col-span-2">{text("reason", "Why it is changed")}</div>}
      </Group>
      <Group title="Getting to it">
        {choice("access", "Access")}
        {text("people", "People it takes", { numeric: true })}
        {text("skills", "Qualifications it takes", { hint: "Beside those of its method and access, with ;" })}
        {text("permit_kind", "Permit", { hint: "Its kind; empty: by the area’s rule" })}
        {text("ex_marking", "Hazardous-area marking")}
        <div className="sm:col-span-2">{text("hazards", "Cautions")}</div>
        <div className="sm:col-span-2">{text("documents", "Documents", { hint: "Title and where, one after the other with ;" })}</div>
      </Group>
      {asked.length > 0 && (
        <Group title="What its method needs to know">
          {asked.map((d) => (
            <Detail key={d.name} field={d} value={details[d.name]} error={errors[d.name]} onChange={(v) => change("details", { ...details, [d.name]: v })} />
          ))}
        </Group>
      )}
      <OwnPolicies
        fields={plant.policies.filter((p) => p.methods.includes(form.method))}
        values={form.policy ?? {}}
        errors={errors}
        onChange={(policy) => change("policy", policy)}
      />
      {save.isError && (
        <Message tone="out" title={Object.keys(errors).length > 1 ? "Some fields need another look; nothing was stored yet" : undefined}>
          {save.error instanceof ApiFailure ? save.error.message : "It could not be stored; try again."}
        </Message>
      )}
      <div className="flex justify-end gap-3">
        <LinkButton to={tag ? `/plant/${encodeURIComponent(tag)}` : "/plant"}>Leave it</LinkButton>
        <Button kind="primary" type="submit" large disabled={save.isPending}>
          {tag ? "Store the changes" : "Add it"}
        </Button>
      </div>
    </form>
  );
}
