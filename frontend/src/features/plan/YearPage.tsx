import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";
import { Link } from "react-router";
import { client, unwrap, type Schemas } from "../../api/client";
import { useInstruments } from "../../api/queries";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { day } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { useFilters } from "../../ui/useFilters";

type Year = Schemas["Year"];
type Week = Schemas["YearWeek"];

const hours = (h: number) => `${Number(h.toFixed(1))} h`;
const month = (iso: string) => new Date(`${iso}T12:00:00`).toLocaleDateString("en-GB", { month: "long", year: "numeric" });

function useChangeYear<T>(area: string, change: (what: T) => Promise<Year>) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: (now) => {
      if (!area) queries.setQueryData(["year", ""], now);
      void queries.invalidateQueries({ queryKey: ["year"] });
    },
  });
}

/** The year week by week: how much falls due beside the hours there, what can be moved inside its window to level it, and each week's jobs. */
export function YearPage() {
  const [get, set] = useFilters();
  const area = get("area");
  const year = useQuery({ queryKey: ["year", area], queryFn: () => unwrap(client.GET("/api/v1/year/", { params: { query: { area } } })) });
  const plant = useInstruments({ search: "", area: "", family: "", page: 1 }).data;
  const mayPlan = useMay("plan the work");
  if (year.isPending) return <Loading what="the year" />;
  if (year.isError) return <Failure error={year.error} retry={() => void year.refetch()} />;
  const d = year.data;
  const areas = [{ value: "", label: "All areas" }, ...(plant?.areas ?? []).map((a) => ({ value: a.code, label: a.name }))];
  const chosen = get("week") || d.weeks[0]?.monday || "";
  return (
    <div className="mx-auto max-w-7xl space-y-4 p-4 lg:p-6">
      <div className="flex flex-wrap items-end gap-3">
        <h1 className="mr-auto text-2xl font-bold">The year ahead</h1>
        <div className="w-56">
          <ChoiceField label="Area" value={area} onChange={(v) => set({ area: v })} options={areas} />
        </div>
        {["pdf", "xlsx"].map((kind) => (
          <LinkButton key={kind} href={`/api/v1/year/file/?${new URLSearchParams({ kind, area }).toString()}`}>
            {kind === "pdf" ? "Print" : "As a file"}
          </LinkButton>
        ))}
        <LinkButton to="/plan">Plan</LinkButton>
      </div>
      <div className="grid gap-6 lg:grid-cols-[minmax(0,1fr)_minmax(0,1fr)]">
        <Weeks year={d} chosen={chosen} onChoose={(week) => set({ week })} />
        <div className="min-w-0 space-y-6 lg:sticky lg:top-4 lg:self-start">
          <WeekJobs key={chosen} week={chosen} area={area} mayPlan={mayPlan} />
          {!area && <Levelling year={d} mayPlan={mayPlan} />}
          {mayPlan && !area && <UsualWeek year={d} />}
        </div>
      </div>
    </div>
  );
}

function Weeks({ year, chosen, onChoose }: { year: Year; chosen: string; onChoose: (week: string) => void }) {
  const top = Math.max(1, ...year.weeks.map((w) => Math.max(w.hours, w.there)));
  return (
    <section aria-label="Weeks">
      <p className="pb-2 text-sm text-muted">
        The bar is the work that falls due, the line the hours there. What is overdue stands in this week. {year.assumed}
      </p>
      {year.weeks.map((w, n) => (
        <div key={w.monday}>
          {(n === 0 || month(w.monday) !== month(year.weeks[n - 1]?.monday ?? "")) && <h2 className="border-b-2 border-slate pt-2 font-bold">{month(w.monday)}</h2>}
          <WeekRow w={w} top={top} chosen={w.monday === chosen} onChoose={onChoose} />
        </div>
      ))}
    </section>
  );
}

function WeekRow({ w, top, chosen, onChoose }: { w: Week; top: number; chosen: boolean; onChoose: (week: string) => void }) {
  const told = `Week of ${day(w.monday)}: ${hours(w.hours)} of ${hours(w.there)}${w.over ? `, ${hours(w.over)} too much` : ""}; ${w.calibrations} calibrations, ${w.others} others`;
  return (
    <button
      type="button"
      aria-label={told}
      aria-pressed={chosen}
      onClick={() => onChoose(w.monday)}
      className={`grid min-h-12 w-full grid-cols-[6.5rem_1fr_10rem] items-center gap-3 border-b border-rule px-2 text-left ${chosen ? "bg-water-soft font-bold" : "hover:bg-water-soft"}`}
    >
      <span className="whitespace-nowrap">{day(w.monday).replace(/ \d{4}$/, "")}</span>
      <span className="relative block h-6" aria-hidden="true">
        <span className={`absolute inset-y-0 left-0 ${w.over ? "bg-iron" : "bg-water"}`} style={{ width: `${(100 * w.hours) / top}%` }} />
        <span className="absolute -inset-y-1 w-0.5 bg-slate" style={{ left: `${(100 * w.there) / top}%` }} />
      </span>
      <span className="text-sm">
        {hours(w.hours)}
        <span className="text-muted">
          , {w.calibrations + w.others} {w.calibrations + w.others === 1 ? "job" : "jobs"}
        </span>
        {w.over > 0 && <strong className="block text-iron">{hours(w.over)} too much</strong>}
      </span>
    </button>
  );
}

function WeekJobs({ week, area, mayPlan }: { week: string; area: string; mayPlan: boolean }) {
  const jobs = useQuery({ queryKey: ["year", "week", week, area], queryFn: () => unwrap(client.GET("/api/v1/year/week/", { params: { query: { on: week, area } } })), enabled: Boolean(week) });
  const plan = useChangeYear(area, (move: { tag: string; week: string }) => unwrap(client.POST("/api/v1/year/moves/", { body: { moves: [move] } })));
  const [there, setThere] = useState("");
  const store = useChangeYear(area, (h: string) => unwrap(client.POST("/api/v1/year/hours/", { body: { week, hours: h } })));
  if (jobs.isPending) return <Loading what="the week" />;
  if (jobs.isError) return <Failure error={jobs.error} />;
  const d = jobs.data;
  return (
    <section aria-label="Week">
      <h2 className="border-b-2 border-slate text-lg font-bold">
        Week of {day(d.monday)}: {hours(d.hours)} of {hours(d.there)}
      </h2>
      {plan.isError && <Failure error={plan.error} />}
      <ul className="max-h-96 overflow-y-auto bg-page" tabIndex={0} aria-label="Jobs of the week">
        {d.jobs.map((j, n) => (
          <li key={`${j.kind} ${j.what} ${n}`} className="grid items-center gap-x-3 border-b border-rule px-2 py-0.5 sm:grid-cols-[8rem_1fr_auto]">
            <Link to={j.link} className="inline-flex min-h-12 items-center font-bold text-water hover:underline">
              {j.what}
            </Link>
            <span className="min-w-0 text-sm">
              {j.kind !== "calibration" && <strong>{j.title}. </strong>}
              {j.says}
              <span className="block text-muted">
                {j.kind === "calibration" ? "due " : ""}
                {day(j.on)}, {hours(j.hours)}
                {j.window && `, may be done ${j.window}`}
                {j.planned && ", planned for this week"}
              </span>
            </span>
            {mayPlan && j.planned && (
              <Button onClick={() => plan.mutate({ tag: j.tag, week: "" })} disabled={plan.isPending}>
                Back to its date
              </Button>
            )}
          </li>
        ))}
        {d.total === 0 && <li className="px-2 py-3 text-muted">Nothing falls due in it.</li>}
        {d.total > d.jobs.length && <li className="px-2 py-3 text-muted">The first {d.jobs.length} of {d.total}; all of them are in the file.</li>}
      </ul>
      {mayPlan && !area && (
        <form
          className="flex items-end gap-3 pt-2"
          onSubmit={(e) => {
            e.preventDefault();
            store.mutate(there, { onSuccess: () => setThere("") });
          }}
        >
          <div className="w-64">
            <TextField label="Hours there in this week" unit="h" numeric value={there} onChange={setThere} placeholder={String(d.there)} error={store.error?.message} hint="Empty: as usual again" />
          </div>
          <Button type="submit" disabled={store.isPending}>
            Store
          </Button>
        </form>
      )}
    </section>
  );
}

/** What can be moved inside its window; taken one by one or all together. */
function Levelling({ year, mayPlan }: { year: Year; mayPlan: boolean }) {
  const plan = useChangeYear("", (moves: { tag: string; week: string }[]) => unwrap(client.POST("/api/v1/year/moves/", { body: { moves } })));
  const over = year.weeks.reduce((sum, w) => sum + w.over, 0);
  if (!over) return <Message>No week holds more than there are hours.</Message>;
  return (
    <section aria-label="To level it">
      <h2 className="border-b-2 border-slate text-lg font-bold">To level it</h2>
      <p className="py-2">
        {hours(over)} are too much in their weeks. {year.moves.length ? `${year.moves.length} jobs can be moved inside their windows; then ${hours(year.left_over)} are left.` : "Nothing can be moved inside its window."}
        {year.left_over > 0 && " What is left takes more hours, or is put off with an approval."}
      </p>
      {plan.isError && <Failure error={plan.error} />}
      {mayPlan && year.moves.length > 1 && (
        <Button kind="primary" disabled={plan.isPending} onClick={() => plan.mutate(year.moves.map((m) => ({ tag: m.tag, week: m.after })))}>
          Plan all {year.moves.length} so
        </Button>
      )}
      <ul className="mt-2 max-h-80 overflow-y-auto bg-page" tabIndex={0} aria-label="Moves">
        {year.moves.map((m) => (
          <li key={m.tag} className="grid items-center gap-x-3 border-b border-rule px-2 py-0.5 sm:grid-cols-[8rem_1fr_auto]">
            <Link to={`/plant/${encodeURIComponent(m.tag)}`} className="inline-flex min-h-12 items-center font-bold text-water hover:underline">
              {m.tag}
            </Link>
            <span className="text-sm">
              week of {day(m.before)} to <strong>{day(m.after)}</strong>
              <span className="block text-muted">
                due {day(m.due_on)}, {hours(m.hours)}
              </span>
            </span>
            {mayPlan && (
              <Button disabled={plan.isPending} onClick={() => plan.mutate([{ tag: m.tag, week: m.after }])}>
                Plan it so
              </Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function UsualWeek({ year }: { year: Year }) {
  const [text, setText] = useState(String(year.usual));
  const store = useChangeYear("", (h: string) => unwrap(client.POST("/api/v1/year/hours/", { body: { week: "", hours: h } })));
  const submit = (e: FormEvent) => {
    e.preventDefault();
    store.mutate(text);
  };
  return (
    <form onSubmit={submit} className="flex items-end gap-3">
      <div className="w-64">
        <TextField label="Hours there in a usual week" unit="h" numeric value={text} onChange={setText} error={store.error?.message} />
      </div>
      <Button type="submit" disabled={store.isPending}>
        Store
      </Button>
    </form>
  );
}
