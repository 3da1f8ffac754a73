import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Check, TriangleAlert, X } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { nowSeen } from "../../api/seen";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { CheckLine, ChoiceField, TextField } from "../../ui/fields";
import { moment } from "../../ui/format";
import { asForm, FileList, Upload } from "../../ui/Files";
import { Failure, Loading, Message } from "../../ui/Message";
import { KeptNote } from "../../ui/KeptNote";
import { useKept } from "../../ui/useKept";
import { Modal } from "../../ui/Modal";
import { Verdict } from "../../ui/Verdict";
import { useStart } from "../today/useStart";
import { TakeCertificate } from "./TakeCertificate";

type Item = Schemas["KitItem"];
type Field = Schemas["KitField"];

export function useKitGroups() {
  return useQuery({ queryKey: ["kit-groups"], queryFn: () => unwrap(client.GET("/api/v1/kit/")), staleTime: 60_000 });
}

function Fields({ asked, values, errors, locked, onChange }: { asked: Field[]; values: Record<string, string>; errors: Record<string, string>; locked?: boolean; onChange: (name: string, value: string) => void }) {
  return (
    <div className="grid gap-4 sm:grid-cols-2 lg:grid-cols-3">
      {asked.map((f) => {
        const common = { label: f.label, value: values[f.name] ?? "", onChange: (v: string) => onChange(f.name, v), error: errors[f.name], hint: f.hint, unit: f.unit };
        if (f.kind === "flag") return <CheckLine key={f.name} label={f.label} checked={values[f.name] === "yes"} onChange={(on) => onChange(f.name, on ? "yes" : "")} />;
        if (f.kind === "choice") return <ChoiceField key={f.name} {...common} options={f.options} />;
        if (locked && f.name === "code") return null;
        return (
          <div key={f.name} className={["points", "gases"].includes(f.kind) ? "sm:col-span-2" : ""}>
            <TextField {...common} numeric={["number", "whole"].includes(f.kind)} hint={f.kind === "date" ? "Like 2026-12-01" : f.hint} />
          </div>
        );
      })}
    </div>
  );
}

/** A new item for one of the kit's registers. */
export function NewKitPage() {
  const { group = "reference" } = useParams();
  const groups = useKitGroups();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const told = groups.data?.groups.find((g) => g.group === group);
  const first = Object.fromEntries((told?.asked ?? []).filter((f) => f.kind === "choice").map((f) => [f.name, f.options[0]?.value ?? ""]));
  const kept = useKept<Record<string, string>>(`kit/${group}/new`, { k: "2" });
  const { form: values, set: setValues } = kept;
  const add = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/kit/{group}/", { params: { path: { group } }, body: { values: { ...first, ...values }, reason: "" } })),
    onSuccess: (made) => {
      kept.stored();
      void queries.invalidateQueries();
      void navigate(`/kit/${group}/${encodeURIComponent(made.code)}`);
    },
  });
  if (groups.isPending) return <Loading what="the kit" />;
  if (!told) return <Message tone="out">There is no such register of kit.</Message>;
  return (
    <form
      noValidate
      className="mx-auto max-w-5xl space-y-5 p-4 lg:p-6"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      <h1 className="text-2xl font-bold">New: {told.title.toLowerCase()}</h1>
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      <Fields asked={told.asked} values={{ ...first, ...values }} errors={add.error instanceof ApiFailure ? add.error.byField : {}} onChange={(n, v) => setValues((was) => ({ ...was, [n]: v }))} />
      {add.isError && <Failure error={add.error} />}
      <div className="flex justify-end gap-3">
        <LinkButton to="/kit">Leave it</LinkButton>
        <Button kind="primary" type="submit" large disabled={add.isPending}>
          Add it
        </Button>
      </div>
    </form>
  );
}

const STATES: Record<string, string> = { quarantined: "Quarantine it", "in service": "Take it back into service", retired: "Retire it" };

function StateForm({ item, state, causes, onDone }: { item: Item; state: string; causes: Schemas["Option"][]; onDone: (made: Item) => void }) {
  const [reason, setReason] = useState("");
  const [cause, setCause] = useState("");
  const act = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/kit/{group}/{code}/state/", { params: { path: { group: item.group, code: item.code } }, body: { state, reason, cause } })),
    onSuccess: onDone,
  });
  const errors = act.error instanceof ApiFailure ? act.error.byField : {};
  return (
    <form
      className="space-y-3"
      onSubmit={(e) => {
        e.preventDefault();
        act.mutate();
      }}
    >
      {state === "quarantined" && (
        <ChoiceField label="What happened" value={cause} onChange={setCause} options={causes} error={errors.cause} hint="It decides with what it may come back." />
      )}
      {state === "in service" && item.quarantine && <p>{item.quarantine}</p>}
      <TextField label="Why" value={reason} onChange={setReason} autoFocus={state !== "quarantined"} error={errors.reason} />
      {act.isError && <Failure error={act.error} />}
      <Button kind={state === "in service" ? "primary" : "danger"} type="submit" disabled={act.isPending}>
        {STATES[state]}
      </Button>
    </form>
  );
}

function IncomingForm({ item, checks, onDone }: { item: Item; checks: Schemas["IncomingCheck"][]; onDone: (made: Item) => void }) {
  const kept = useKept<Record<string, string>>(`kit/${item.group}/${item.code}/incoming`, {});
  const values = kept.form;
  const setValues = (next: Record<string, string>) => kept.set(() => next);
  const act = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/kit/{group}/{code}/incoming/", { params: { path: { group: item.group, code: item.code } }, body: { values, reason: "" } })),
    onSuccess: (made) => {
      kept.stored();
      onDone(made);
    },
  });
  const errors = act.error instanceof ApiFailure ? act.error.byField : {};
  return (
    <form
      className="max-h-[75vh] space-y-3 overflow-y-auto pr-1"
      onSubmit={(e) => {
        e.preventDefault();
        act.mutate();
      }}
    >
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      {checks.map((c) =>
        c.number ? (
          <TextField key={c.name} label={c.label} unit={c.unit} numeric hint={c.limit} value={values[c.name] ?? ""} onChange={(v) => setValues({ ...values, [c.name]: v })} error={errors[c.name]} />
        ) : (
          <ChoiceField
            key={c.name}
            label={c.label}
            value={values[c.name] ?? ""}
            onChange={(v) => setValues({ ...values, [c.name]: v })}
            options={["", "yes", "no", ...(c.may_not_apply ? ["does not apply"] : [])].map((v) => ({ value: v, label: v || "choose" }))}
            error={errors[c.name]}
          />
        ),
      )}
      {act.isError && <Failure error={act.error} />}
      <Button kind="primary" type="submit" disabled={act.isPending}>
        Judge it
      </Button>
    </form>
  );
}

/** Nothing changed yet. seen: what stood in a field when it was first typed into. */
const NOTHING = { draft: {} as Record<string, string>, seen: {} as Record<string, string>, reason: "" };

/** Its incoming checks, each a signed record. */
function Checks({ rows }: { rows: Schemas["KitCheck"][] }) {
  return (
    <section aria-label="Incoming checks">
      <h2 className="border-b-2 border-slate text-lg font-bold">Incoming checks</h2>
      <ul>
        {rows.map((r) => (
          <li key={r.id} className="flex flex-wrap items-center gap-x-4 border-b border-rule">
            <Link to={r.status === "open" ? `/run/${r.id}` : `/records/${r.id}`} className="inline-flex min-h-12 items-center font-bold text-water underline-offset-4 hover:underline">
              {r.number}
            </Link>
            <span>{r.decision || r.status}</span>
            <Verdict verdict={r.verdict || null} size={14} />
            <span className="text-sm text-muted">
              {moment(r.at)}, {r.by}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** An item of the kit: what it is, what it can be used for and why not, what counts on it, and its history. */
export function KitItemPage() {
  const { group = "", code = "" } = useParams();
  const queries = useQueryClient();
  const groups = useKitGroups();
  const mayEdit = useMay("edit the kit");
  const mayQuarantine = useMay("quarantine kit");
  const mayCheck = useMay("check kit in");
  const [acting, act] = useState("");
  const path = { params: { path: { group, code } } };
  const item = useQuery({ queryKey: ["kit", group, code], queryFn: () => unwrap(client.GET("/api/v1/kit/{group}/{code}/", path)) });
  const kept = useKept(`kit/${group}/${code}`, NOTHING);
  const { draft, reason, seen } = kept.form;
  const take = (made: Item) => {
    queries.setQueryData(["kit", group, code], made);
    void queries.invalidateQueries({ queryKey: ["references"] });
    void queries.invalidateQueries({ queryKey: ["gas"] });
    void queries.invalidateQueries({ queryKey: ["kit-groups"] });
    act("");
    kept.drop();
  };
  const start = useStart();
  const save = useMutation({
    mutationFn: (values: Record<string, string>) => unwrap(client.PUT("/api/v1/kit/{group}/{code}/", { ...path, body: { values, reason, seen: { ...item.data?.form, ...seen } } })),
    onError: (error) => kept.set((was) => ({ ...was, seen: nowSeen(was.seen, error) })),
    onSuccess: take,
  });
  if (item.isPending || groups.isPending) return <Loading what={code} />;
  if (item.isError) return <Failure error={item.error} />;
  const i = item.data;
  const asked = groups.data?.groups.find((g) => g.group === group)?.asked ?? [];
  const good = i.standing === "in date" || i.standing === "in service";
  const Icon = good ? Check : i.standing === "due soon" ? TriangleAlert : X;
  const others = Object.keys(STATES).filter((s) => s !== i.state && (s === "quarantined" ? mayQuarantine : mayEdit));
  return (
    <div className="mx-auto max-w-6xl space-y-5 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">
          {i.code} <span className="font-normal">{i.form.name ?? i.title}</span>
          <span className={`ml-4 inline-flex items-center gap-1 text-lg ${good ? "text-kelp" : i.standing === "due soon" ? "text-amber" : "text-iron"}`}>
            <Icon size={20} aria-hidden="true" /> {i.standing}
          </span>
        </h1>
        <LinkButton to="/kit">All kit</LinkButton>
        {i.check_in?.open_run ? (
          <LinkButton to={`/run/${i.check_in.open_run}`}>Go on with its incoming check</LinkButton>
        ) : (
          mayCheck && (
            <Button onClick={() => (i.check_in ? start.mutate({ item: i.code }) : act("incoming"))} disabled={start.isPending}>
              Incoming check
            </Button>
          )
        )}
        {others.map((s) => (
          <Button key={s} kind={s === "in service" ? "plain" : "danger"} onClick={() => act(s)}>
            {STATES[s]}
          </Button>
        ))}
      </div>
      {start.isError && <Failure error={start.error} />}
      {i.stops.length > 0 && (
        <Message tone={i.state === "in service" ? "edge" : "out"} title={i.state === "in service" ? "These count on it" : "These stop: give the runs another; a round proposes what would do instead"}>
          <ul className="list-disc pl-5">
            {i.stops.map((s) => (
              <li key={s.kind + s.id + s.says}>{s.says}</li>
            ))}
          </ul>
        </Message>
      )}
      {i.quarantine && <Message tone="out">{i.quarantine}</Message>}
      {i.says.map((s) => (
        <Message key={s}>{s}</Message>
      ))}
      <form
        noValidate
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          save.mutate({ ...i.form, ...draft });
        }}
      >
        <fieldset disabled={!mayEdit} className="min-w-0">
          <Fields asked={asked} locked values={{ ...i.form, ...draft }} errors={save.error instanceof ApiFailure ? save.error.byField : {}} onChange={(n, v) => {
              kept.set((was) => ({ ...was, draft: { ...was.draft, [n]: v }, seen: { [n]: i.form[n] ?? "", ...was.seen } }));
            }}
          />
        </fieldset>
        {kept.isKept && <KeptNote onDrop={kept.drop} />}
        {mayEdit && Object.keys(draft).length > 0 && (
          <div className="flex flex-wrap items-end gap-3">
            <div className="min-w-72 flex-1">
              <TextField label="Why it is changed" value={reason} onChange={(v) => kept.set((was) => ({ ...was, reason: v }))} />
            </div>
            <Button kind="primary" type="submit" disabled={save.isPending}>
              Store the changes
            </Button>
          </div>
        )}
        {save.isError && <Failure error={save.error} />}
      </form>
      <section aria-label="Files" className="space-y-2">
        <h2 className="border-b-2 border-slate text-lg font-bold">Certificates and files</h2>
        <FileList files={i.files} path="/api/v1/kit/files/" />
        {mayEdit && (
          <div className="flex flex-wrap gap-3">
            <Upload
              label="Attach a file"
              send={(file) => unwrap(client.POST("/api/v1/kit/{group}/{code}/files/", { params: { path: { group, code } }, ...asForm(file) }))}
              onDone={take}
            />
          </div>
        )}
        {mayEdit && group === "reference" && <TakeCertificate code={code} />}
      </section>
      {i.uses.length > 0 && (
        <section aria-label="What it can be used for">
          <h2 className="border-b-2 border-slate text-lg font-bold">What it can be used for, of what is due next</h2>
          <ul>
            {i.uses.map((u) => (
              <li key={u.tag + u.says} className="grid gap-x-4 border-b border-rule px-1 py-1 sm:grid-cols-[2rem_8rem_1fr_2fr]">
                {u.fits ? <Check size={18} aria-label="can" className="text-kelp" /> : <X size={18} aria-label="can't" className="text-iron" />}
                <strong>{u.tag}</strong>
                <span className="truncate">{u.service}</span>
                <span>{u.says}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {i.check_in && i.check_in.results.length > 0 && <Checks rows={i.check_in.results} />}
      {i.changes.length > 0 && (
        <section aria-label="History">
          <h2 className="border-b-2 border-slate text-lg font-bold">History</h2>
          <ul>
            {i.changes.map((c) => (
              <li key={c.at + c.reason} className="border-b border-rule py-1">
                <span className="text-sm text-muted">
                  {moment(c.at)}, {c.by}
                </span>{" "}
                {c.reason} <span className="text-sm">{c.what.join("; ")}</span>
              </li>
            ))}
          </ul>
        </section>
      )}
      {acting && (
        <Modal open onClose={() => act("")} title={acting === "incoming" ? `Incoming check of ${i.code}` : `${STATES[acting]}: ${i.code}`}>
          {acting === "incoming" ? <IncomingForm item={i} checks={groups.data?.incoming ?? []} onDone={take} /> : <StateForm item={i} state={acting} causes={groups.data?.causes ?? []} onDone={take} />}
        </Modal>
      )}
    </div>
  );
}
