import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { CalendarClock, Clock, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { useInstruments } from "../../api/queries";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { CheckLine, ChoiceField, TextField } from "../../ui/fields";
import { day } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Modal } from "../../ui/Modal";
import { Pager } from "../../ui/Pager";
import { useFilters } from "../../ui/useFilters";
import { ChecksBlock } from "../checks/ChecksBlock";
import { DueCalendar } from "./DueCalendar";
import { usePlans } from "./plans";

type DueRow = Schemas["DueListRow"];

const STANDING: Record<string, { Icon: typeof Clock; tone: string }> = {
  overdue: { Icon: TriangleAlert, tone: "text-iron" },
  "in grace": { Icon: Clock, tone: "text-amber" },
  "due today": { Icon: Clock, tone: "text-amber" },
};

function useDue(query: { area: string; days: string; on: string; page: string }) {
  return useQuery({ queryKey: ["due", query], queryFn: () => unwrap(client.GET("/api/v1/due/", { params: { query } })) });
}

function DeferForm({ row, onDone }: { row: DueRow; onDone: () => void }) {
  const queries = useQueryClient();
  const [until, setUntil] = useState("");
  const [reason, setReason] = useState("");
  const ask = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/instruments/{tag}/defer/", { params: { path: { tag: row.tag } }, body: { until, reason } })),
    onSuccess: () => {
      void queries.invalidateQueries({ queryKey: ["due"] });
      onDone();
    },
  });
  const errors = ask.error instanceof ApiFailure ? ask.error.byField : {};
  return (
    <form
      className="space-y-3"
      onSubmit={(e) => {
        e.preventDefault();
        ask.mutate();
      }}
    >
      <p>{row.why}</p>
      <TextField label="Until" hint="Like 2026-12-01" value={until} onChange={setUntil} error={errors.until} autoFocus />
      <TextField label="Why it can wait, and what watches meanwhile" value={reason} onChange={setReason} error={errors.reason} />
      {ask.isError && <Failure error={ask.error} />}
      <p className="text-sm text-muted">It stays due until somebody else has approved it.</p>
      <Button kind="primary" type="submit" disabled={ask.isPending}>
        Ask for it
      </Button>
    </form>
  );
}

function Deferral({ d }: { d: Schemas["Deferral"] }) {
  const queries = useQueryClient();
  const may = useMay("approve a deferral");
  const [note, setNote] = useState("");
  const decide = useMutation({
    mutationFn: (approve: boolean) => unwrap(client.POST("/api/v1/deferrals/{deferral_id}/", { params: { path: { deferral_id: d.id } }, body: { approve, note } })),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["due"] }),
  });
  const waits = d.state === "waits for approval";
  return (
    <li className={`flex flex-wrap items-end gap-3 border-b border-rule border-l-8 bg-page px-3 py-2 ${waits ? "border-l-amber" : "border-l-rule"}`}>
      <p className="min-w-72 flex-1">
        <strong>{d.tag}</strong> put off from {day(d.due_on)} to {day(d.until)}: {d.reason}{" "}
        <span className="text-muted">
          {d.asked_by} asked; {waits ? "waits for approval" : `approved by ${d.decided_by}`}.
        </span>
      </p>
      {may && waits && (
        <>
          <div className="w-64">
            <TextField label="Note" value={note} onChange={setNote} />
          </div>
          <Button onClick={() => decide.mutate(true)}>Approve</Button>
          <Button kind="danger" onClick={() => decide.mutate(false)}>
            Refuse
          </Button>
        </>
      )}
      {decide.isError && <Failure error={decide.error} />}
    </li>
  );
}

/** What is due and by which rule; the rounds made of it. */
export function PlanPage() {
  const [get, set, page] = useFilters();
  const mayPlan = useMay("plan the work");
  const plans = usePlans();
  const plant = useInstruments({ search: "", area: "", family: "", page: 1 }).data;
  const due = useDue({ area: get("area"), days: get("days") || "30", on: get("on"), page: String(page) });
  const [putOff, setPutOff] = useState<DueRow | null>(null);
  const [calendars, showCalendars] = useState(false);
  if (due.isPending || plans.isPending) return <Loading what="what is due" />;
  if (due.isError) return <Failure error={due.error} retry={() => void due.refetch()} />;
  if (plans.isError) return <Failure error={plans.error} />;
  const areas = [{ value: "", label: "All areas" }, ...(plant?.areas ?? []).map((a) => ({ value: a.code, label: a.name }))];
  return (
    <div className="mx-auto max-w-7xl space-y-4 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">Plan</h1>
        {["pdf", "xlsx"].map((kind) => (
          <LinkButton key={kind} href={`/api/v1/due/file/?${new URLSearchParams({ kind, area: get("area"), days: get("days") || "30", on: get("on") }).toString()}`}>
            {kind === "pdf" ? "Print" : "As a file"}
          </LinkButton>
        ))}
        <Button onClick={() => showCalendars(true)}>
          <CalendarClock size={18} aria-hidden="true" /> Calendars
        </Button>
        <LinkButton to="/checks">Function checks</LinkButton>
        <LinkButton to="/batch">Several at once on the bench</LinkButton>
        {mayPlan && (
          <LinkButton to="/plan/new" kind="primary">
            Make a round
          </LinkButton>
        )}
      </div>
      <div className="grid gap-6 lg:grid-cols-[400px_minmax(0,1fr)]">
        <div className="space-y-4">
          <DueCalendar area={get("area")} chosen={get("on")} onChoose={(on) => set({ on })} />
      {plans.data.rows.length > 0 && (
        <ul aria-label="Rounds" className="border-t-2 border-slate bg-page">
          {plans.data.rows.slice(0, 6).map((r) => (
            <li key={r.id} className="border-b border-rule px-3 pb-2">
              <Link to={`/plan/${r.id}`} className="inline-flex min-h-12 items-center font-bold text-water hover:underline">
                {r.name}
              </Link>
              <span className="block text-sm">
                {day(r.day)}, {r.planned} of {r.total} jobs, {r.status}. <span className="text-muted">{r.people.join(", ")}</span>
              </span>
            </li>
          ))}
        </ul>
      )}
      {due.data.deferrals.length > 0 && (
        <ul aria-label="Put off">
          {due.data.deferrals.map((d) => (
            <Deferral key={d.id} d={d} />
          ))}
        </ul>
      )}
        </div>
        <div className="min-w-0 space-y-3">
      <ChecksBlock />
      <div className="flex flex-wrap items-end gap-4">
        <h2 className="mr-auto text-lg font-bold">
          Due{get("on") && ` on ${day(get("on"))}`}: {due.data.total}
        </h2>
        <div className="w-56">
          <ChoiceField label="Area" value={get("area")} onChange={(v) => set({ area: v })} options={areas} />
        </div>
        <div className="w-48">
          <ChoiceField
            label="Within"
            value={get("days") || "30"}
            onChange={(v) => set({ days: v, on: "" })}
            options={["0", "7", "30", "90", "365"].map((d) => ({ value: d, label: d === "0" ? "today" : `${d} days` }))}
          />
        </div>
      </div>
      {due.data.rows.length === 0 ? (
        <Message>Nothing is due there in that time.</Message>
      ) : (
        <ul className="border-t-2 border-slate bg-page">
          {due.data.rows.map((r) => {
            const { Icon, tone } = STANDING[r.standing] ?? { Icon: Clock, tone: "text-muted" };
            return (
              <li key={r.tag} className="grid items-center gap-x-4 border-b border-rule px-3 py-1 sm:grid-cols-[7rem_1fr_7rem_auto]">
                <Link to={`/plant/${encodeURIComponent(r.tag)}`} className="inline-flex min-h-12 items-center font-bold text-water hover:underline">
                  {r.tag}
                </Link>
                <span className="min-w-0">
                  <span className="block truncate">
                    {r.service}, {r.area}
                  </span>
                  <span className="block text-sm text-muted">
                    {r.why}
                    {r.replace_by && <> Sensor to be replaced by {day(r.replace_by)}.</>}
                  </span>
                </span>
                <span className={`inline-flex items-center gap-1 font-bold ${tone}`}>
                  <Icon size={18} aria-hidden="true" /> {r.standing}
                </span>
                {mayPlan && <Button onClick={() => setPutOff(r)}>Put off</Button>}
              </li>
            );
          })}
        </ul>
      )}
      <Pager page={due.data.page} pages={due.data.pages} total={due.data.total} what="due" onPage={(p) => set({ page: String(p) })} />
        </div>
      </div>
      {putOff && (
        <Modal open onClose={() => setPutOff(null)} title={`Put ${putOff.tag} off`}>
          <DeferForm row={putOff} onDone={() => setPutOff(null)} />
        </Modal>
      )}
      {calendars && (
        <Modal open onClose={() => showCalendars(false)} title="Calendars">
          <Calendars areas={areas} />
        </Modal>
      )}
    </div>
  );
}

function Calendars({ areas }: { areas: { value: string; label: string }[] }) {
  const queries = useQueryClient();
  const feeds = useQuery({ queryKey: ["feeds"], queryFn: () => unwrap(client.GET("/api/v1/feeds/")) });
  const [area, setArea] = useState("");
  const after = () => void queries.invalidateQueries({ queryKey: ["feeds"] });
  const make = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/feeds/", { body: { area } })), onSuccess: after });
  const revoke = useMutation({
    mutationFn: async (id: number) => {
      await client.DELETE("/api/v1/feeds/{feed_id}/", { params: { path: { feed_id: id } } });
    },
    onSuccess: after,
  });
  return (
    <div className="space-y-3">
      <p>Whoever has such a link can read that calendar. Revoke it when it has gone astray.</p>
      {(feeds.data ?? []).map((f) => (
        <div key={f.id} className="space-y-1 border-b border-rule pb-2">
          <p className="font-bold">{f.area ? `What is due in ${f.area}` : "My rounds"}</p>
          <input readOnly value={f.address} aria-label="Link" onFocus={(e) => e.target.select()} className="min-h-12 w-full rounded-md border-2 border-rule bg-page px-3 text-sm" />
          <Button onClick={() => revoke.mutate(f.id)}>Revoke it</Button>
        </div>
      ))}
      <div className="flex items-end gap-3">
        <div className="flex-1">
          <ChoiceField label="A calendar of" value={area} onChange={setArea} options={[{ value: "", label: "my rounds" }, ...areas.slice(1)]} />
        </div>
        <Button kind="primary" onClick={() => make.mutate()} disabled={make.isPending}>
          Make a link
        </Button>
      </div>
      {make.isError && <Failure error={make.error} />}
    </div>
  );
}

/** A new round: the day, the people with their shifts, the areas, permits, and what must be done whatever its date. */
export function NewRoundPage() {
  const navigate = useNavigate();
  const plans = usePlans();
  const plant = useInstruments({ search: "", area: "", family: "", page: 1 }).data;
  const [form, setForm] = useState({ name: "", day: tomorrow(), start: "07:30", end: "15:30", musts: "", permitStart: "08:00", permitEnd: "15:00" });
  const [crew, setCrew] = useState<string[]>([]);
  const [areas, setAreas] = useState<string[]>([]);
  const [skilled, setSkilled] = useState(false);
  const change = (name: keyof typeof form) => (value: string) => setForm((old) => ({ ...old, [name]: value }));
  const shown = plant?.areas ?? [];
  const permitted = shown.filter((a) => a.needs_permit && (!areas.length || areas.includes(a.code)));
  const make = useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/plans/", {
          body: {
            name: form.name,
            day: form.day,
            crew: crew.map((username) => ({ username, start: form.start, end: form.end })),
            areas,
            permits: permitted.map((a) => ({ area: a.code, start: form.permitStart, end: form.permitEnd })),
            musts: form.musts.split(/[\s,;]+/).filter(Boolean),
          },
        }),
      ),
    onSuccess: (made) => void navigate(`/plan/${made.id}`),
  });
  const errors = make.error instanceof ApiFailure ? make.error.byField : {};
  const turn = (list: string[], value: string, on: boolean) => (on ? [...list, value] : list.filter((v) => v !== value));
  return (
    <>
    {skilled && (
      <Modal open onClose={() => setSkilled(false)} title="Who is qualified for what">
        <p>Gas detectors are given only to those with “gas work”. Several qualifications stand one after the other with ;</p>
        {(plans.data?.people ?? []).map((p) => (
          <Skills key={p.username} username={p.username} name={p.name} skills={p.skills.join("; ")} />
        ))}
      </Modal>
    )}
    <form
      noValidate
      className="mx-auto max-w-4xl space-y-5 p-4 lg:p-6"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <h1 className="text-2xl font-bold">Make a round</h1>
      <div className="grid gap-4 sm:grid-cols-4">
        <div className="sm:col-span-2">
          <TextField label="Name" value={form.name} onChange={change("name")} hint="Empty: by its day" />
        </div>
        <TextField label="Day" value={form.day} onChange={change("day")} error={errors.day} hint="Like 2026-12-01" />
      </div>
      <fieldset className="space-y-2">
        <legend className="font-bold">People and shift</legend>
        <div className="grid gap-2 sm:grid-cols-3">
          {(plans.data?.people ?? []).map((p) => (
            <CheckLine key={p.username} label={p.skills.length ? `${p.name} (${p.skills.join(", ")})` : p.name} checked={crew.includes(p.username)} onChange={(on) => setCrew(turn(crew, p.username, on))} />
          ))}
        </div>
        <Button onClick={() => setSkilled(true)}>Who is qualified for what…</Button>
        {errors.crew && <p className="font-bold text-iron">{errors.crew}</p>}
        <div className="grid gap-4 sm:grid-cols-4">
          <TextField label="Shift from" value={form.start} onChange={change("start")} />
          <TextField label="Shift to" value={form.end} onChange={change("end")} />
        </div>
      </fieldset>
      <fieldset className="space-y-2">
        <legend className="font-bold">Areas, none chosen: the whole plant</legend>
        <div className="grid gap-2 sm:grid-cols-3">
          {shown.map((a) => (
            <CheckLine key={a.code} label={a.needs_permit ? `${a.name} (permit)` : a.name} checked={areas.includes(a.code)} onChange={(on) => setAreas(turn(areas, a.code, on))} />
          ))}
        </div>
        {permitted.length > 0 && (
          <div className="grid gap-4 sm:grid-cols-4">
            <TextField label="Permits from" value={form.permitStart} onChange={change("permitStart")} />
            <TextField label="Permits to" value={form.permitEnd} onChange={change("permitEnd")} error={errors.permits} />
          </div>
        )}
      </fieldset>
      <TextField label="Must be done, whatever its date" value={form.musts} onChange={change("musts")} hint="Tags, one after the other" error={errors.musts} />
      {make.isError && <Failure error={make.error} />}
      <div className="flex justify-end gap-3">
        <LinkButton to="/plan">Leave it</LinkButton>
        <Button kind="primary" type="submit" large disabled={make.isPending}>
          Make it
        </Button>
      </div>
    </form>
    </>
  );
}

function Skills({ username, name, skills }: { username: string; name: string; skills: string }) {
  const queries = useQueryClient();
  const [text, setText] = useState(skills);
  const save = useMutation({
    mutationFn: () => unwrap(client.PUT("/api/v1/people/{username}/skills/", { params: { path: { username } }, body: { skills: text } })),
    onSuccess: () => void queries.invalidateQueries({ queryKey: ["plans"] }),
  });
  return (
    <form
      className="flex items-end gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        save.mutate();
      }}
    >
      <div className="flex-1">
        <TextField label={name} value={text} onChange={setText} error={save.isError ? save.error.message : undefined} />
      </div>
      <Button type="submit" disabled={save.isPending || text === skills}>
        Store
      </Button>
    </form>
  );
}

function tomorrow(): string {
  const at = new Date(Date.now() + 24 * 3600_000);
  return `${at.getFullYear()}-${String(at.getMonth() + 1).padStart(2, "0")}-${String(at.getDate()).padStart(2, "0")}`;
}
