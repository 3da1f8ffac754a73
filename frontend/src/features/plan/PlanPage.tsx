import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { CalendarClock, Clock, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { ApiFailure, client, unwrap, type Schemas } from "../../api/client";
import { useInstruments } from "../../api/queries";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { day } from "../../ui/format";
import { KeptNote } from "../../ui/KeptNote";
import { Failure, Loading, Message } from "../../ui/Message";
import { Modal } from "../../ui/Modal";
import { Pager } from "../../ui/Pager";
import { useFilters } from "../../ui/useFilters";
import { useKept } from "../../ui/useKept";
import { ChecksBlock } from "../checks/ChecksBlock";
import { Calendars } from "./Calendars";
import { DueCalendar } from "./DueCalendar";
import { OtherWork } from "./OtherWork";
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
  const kept = useKept(`deferral/${row.tag}`, { until: "", reason: "" });
  const change = (name: keyof typeof kept.form) => (value: string) => kept.set((old) => ({ ...old, [name]: value }));
  const ask = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/instruments/{tag}/defer/", { params: { path: { tag: row.tag } }, body: kept.form })),
    onSuccess: () => {
      kept.stored();
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
      {kept.isKept && <KeptNote onDrop={kept.drop} />}
      <TextField label="Until" hint="Like 2026-12-01" value={kept.form.until} onChange={change("until")} error={errors.until} autoFocus />
      <TextField label="Why it can wait, and what watches meanwhile" value={kept.form.reason} onChange={change("reason")} error={errors.reason} />
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
        <LinkButton to="/plan/year">The year</LinkButton>
        <LinkButton to="/people">People</LinkButton>
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
      {mayPlan && plans.data.ending.length > 0 && (
        <Message tone="edge">
          <p>{plans.data.ending.join(". ")}.</p>
          <Link to="/people" className="inline-flex min-h-12 items-center font-bold text-water underline">
            Renew or take away
          </Link>
        </Message>
      )}
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
                    {r.planned && <> Planned for the week of {day(r.planned)}.</>}
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
      {!get("on") && <OtherWork area={get("area")} days={get("days") || "30"} />}
        </div>
      </div>
      {putOff && (
        <Modal open onClose={() => setPutOff(null)} title={`Put ${putOff.tag} off`}>
          <DeferForm row={putOff} onDone={() => setPutOff(null)} />
        </Modal>
      )}
      {calendars && (
        <Modal open onClose={() => showCalendars(false)} title="Calendars">
          <Calendars areas={areas.slice(1)} people={mayPlan ? plans.data.people : []} />
        </Modal>
      )}
    </div>
  );
}
