import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { moment } from "../../ui/format";
import { KeptNote } from "../../ui/KeptNote";
import { Failure, Loading, Message } from "../../ui/Message";
import { LeaveIt } from "../../ui/LeaveIt";
import { useKept } from "../../ui/useKept";

type Row = Schemas["AccessRow"];
type Act = Schemas["AccessActRequest"]["act"];
interface Made {
  username: string;
  path: string;
  days: number;
}

/** Who can come in: added, given a link to set a password, another role, out and back; for whoever looks after people. */
export function Access() {
  const queries = useQueryClient();
  const found = useQuery({ queryKey: ["access"], queryFn: () => unwrap(client.GET("/api/v1/access/")) });
  const [adding, setAdding] = useState(false);
  const [at, setAt] = useState("");
  const [made, setMade] = useState<Made | null>(null);
  if (found.isPending) return <Loading what="who can come in" />;
  if (found.isError) return <Failure error={found.error} retry={() => void found.refetch()} />;
  const done = (username: string, made: Schemas["Link"]) => {
    setMade(made.path ? { username, ...made } : null);
    setAdding(false);
    setAt("");
    void queries.invalidateQueries({ queryKey: ["access"] });
    void queries.invalidateQueries({ queryKey: ["people"] });
  };
  return (
    <section aria-label="Who can come in" className="space-y-3">
      <div className="flex items-end gap-3">
        <h2 className="mr-auto text-xl font-bold">Who can come in</h2>
        {!adding && <Button onClick={() => setAdding(true)}>Add somebody</Button>}
      </div>
      {adding && <AddForm roles={found.data.roles} onDone={done} onLeave={() => setAdding(false)} />}
      {made && <LinkToPass made={made} onDone={() => setMade(null)} />}
      <ul className="border-t-2 border-slate bg-page">
        {found.data.people.map((p) => (
          <li key={p.username} aria-label={p.name} className="border-b border-rule px-3 py-1">
            <div className="grid min-h-12 items-center gap-x-4 sm:grid-cols-[16rem_1fr_auto]">
              <h3 className={`font-bold ${p.is_active ? "" : "text-muted"}`}>
                {p.name} <span className="font-normal text-muted">{p.username}</span>
              </h3>
              <p className="text-sm">{stands(p)}</p>
              {at !== p.username && (
                <Button onClick={() => setAt(p.username)} label={`Change ${p.name}`}>
                  Change
                </Button>
              )}
            </div>
            {at === p.username && <Acts of={p} roles={found.data.roles} onDone={done} onLeave={() => setAt("")} />}
            {p.changes.length > 0 && (
              <details className="text-sm">
                <summary className="min-h-12 cursor-pointer py-3 font-bold text-water">What was done</summary>
                {p.changes.map((c) => (
                  <p key={c.at + c.what} className="pb-1 text-muted">
                    {moment(c.at)}, {c.by}: {c.what}
                    {c.reason && `: ${c.reason}`}
                  </p>
                ))}
              </details>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function stands(p: Row): string {
  if (!p.is_active) return "left: can’t sign in";
  const link = p.link_until ? `, a link is open until ${moment(p.link_until)}` : "";
  if (!p.has_password) return `${p.role}, has no password yet${link}`;
  return `${p.role}, ${p.last_seen ? `signed in last ${moment(p.last_seen)}` : "not signed in yet"}${p.has_device ? ", with one-time codes" : ""}${link}`;
}

/** The link stands here once and nowhere else. */
function LinkToPass({ made, onDone }: { made: Made; onDone: () => void }) {
  const [isCopied, setCopied] = useState(false);
  const address = window.location.origin + made.path;
  return (
    <Message>
      <p>
        Give this link to {made.username} and to nobody else. It sets a password once, within {made.days} days, and is not shown again.
      </p>
      <input readOnly aria-label={`Link for ${made.username}`} value={address} onFocus={(e) => e.target.select()} className="mt-2 min-h-12 w-full rounded-md border-2 border-rule-strong bg-page px-3 font-mono text-sm" />
      <div className="mt-2 flex flex-wrap gap-3">
        <Button onClick={() => void navigator.clipboard.writeText(address).then(() => setCopied(true))}>{isCopied ? "Copied" : "Copy it"}</Button>
        <Button onClick={onDone}>It is passed on</Button>
      </div>
    </Message>
  );
}

type Roles = Schemas["Access"]["roles"];
type Done = (username: string, made: Schemas["Link"]) => void;

function AddForm({ roles, onDone, onLeave }: { roles: Roles; onDone: Done; onLeave: () => void }) {
  const kept = useKept("person/new", { username: "", first_name: "", last_name: "", role: "technician" });
  const { form } = kept;
  const change = (name: keyof typeof form) => (value: string) => kept.set((old) => ({ ...old, [name]: value }));
  const add = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/access/", { body: form })),
    onSuccess: (made) => {
      kept.stored();
      onDone(form.username.trim(), made);
    },
  });
  const errors = add.error instanceof ApiFailure ? add.error.byField : {};
  return (
    <form
      noValidate
      className="space-y-3 bg-water-soft p-3"
      onSubmit={(e) => {
        e.preventDefault();
        add.mutate();
      }}
    >
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      <div className="grid items-start gap-4 sm:grid-cols-2 lg:grid-cols-4">
        <TextField label="First name" value={form.first_name} onChange={change("first_name")} error={errors.first_name} autoFocus />
        <TextField label="Last name" value={form.last_name} onChange={change("last_name")} error={errors.last_name} />
        <TextField label="User name" hint="To sign in with; it stays" value={form.username} onChange={change("username")} error={errors.username} />
        <ChoiceField label="Role" value={form.role} onChange={change("role")} options={roles} error={errors.role} />
      </div>
      {add.isError && !Object.keys(errors).length && <Failure error={add.error} />}
      <div className="flex gap-3">
        <Button type="submit" kind="primary" disabled={add.isPending}>
          Add and make a link
        </Button>
        <LeaveIt kept={kept} onLeave={onLeave} />
      </div>
    </form>
  );
}

function Acts({ of: p, roles, onDone, onLeave }: { of: Row; roles: Roles; onDone: Done; onLeave: () => void }) {
  const [role, setRole] = useState(p.role);
  const [reason, setReason] = useState("");
  const act = useMutation({
    mutationFn: (what: Act) => unwrap(client.POST("/api/v1/access/{username}/", { params: { path: { username: p.username } }, body: { act: what, role, reason } })),
    onSuccess: (made) => onDone(p.username, made),
  });
  const errors = act.error instanceof ApiFailure ? act.error.byField : {};
  const wait = act.isPending;
  return (
    <div className="space-y-3 bg-water-soft p-3">
      {!p.is_you && (
        <div className="grid items-start gap-4 sm:grid-cols-2">
          {p.is_active && <ChoiceField label="Role" value={role} onChange={setRole} options={roles} error={errors.role} />}
          <TextField label="Why" value={reason} onChange={setReason} error={errors.reason} />
        </div>
      )}
      {act.isError && !errors.role && !errors.reason && <Failure error={act.error} />}
      <div className="flex flex-wrap gap-3">
        {p.is_active && !p.is_you && (
          <Button kind="primary" onClick={() => act.mutate("role")} disabled={wait || role === p.role}>
            Change the role
          </Button>
        )}
        {p.is_active && (
          <Button onClick={() => act.mutate("link")} disabled={wait}>
            {p.has_password ? "Link for a new password" : "New link"}
          </Button>
        )}
        {p.is_active && (
          <Button onClick={() => act.mutate("sign out")} disabled={wait}>
            Sign out everywhere
          </Button>
        )}
        {p.has_device && !p.is_you && (
          <Button onClick={() => act.mutate("take device off")} disabled={wait}>
            Take their device off
          </Button>
        )}
        {!p.is_you && (
          <Button kind={p.is_active ? "danger" : "primary"} onClick={() => act.mutate(p.is_active ? "leave" : "back")} disabled={wait}>
            {p.is_active ? "They have left" : "They are back"}
          </Button>
        )}
        <Button onClick={onLeave}>Not now</Button>
      </div>
    </div>
  );
}
