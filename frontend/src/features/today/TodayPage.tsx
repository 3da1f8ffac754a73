import { ArrowRight, Play } from "lucide-react";
import { useRef, type KeyboardEvent } from "react";
import { Link } from "react-router";
import { type Schemas } from "../../api/client";
import { useToday } from "../../api/queries";
import { useMay, usePerson } from "../../app/session";
import { useShortcuts } from "../../app/shortcuts";
import { day, moment } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Ring } from "../../ui/Ring";
import { Verdict } from "../../ui/Verdict";
import { ChecksBlock } from "../checks/ChecksBlock";
import { hm } from "../plan/plans";
import { EvidenceNotice } from "../evidence/EvidenceNotice";
import { Beginning } from "./Beginning";
import { Duties } from "./Duties";
import { FollowUpRows } from "../followups/FollowUpRows";
import { useFollowUps } from "../followups/useFollowUps";
import { NotStarted } from "./NotStarted";
import { useStart } from "./useStart";

type DueRow = Schemas["DueRow"];
type RunRow = Schemas["RunRow"];

/** Up and down arrows move between the rows; Enter is the row's own. */
function moveFocus(event: KeyboardEvent<HTMLElement>) {
  if (event.key !== "ArrowDown" && event.key !== "ArrowUp") return;
  const rows = [...event.currentTarget.querySelectorAll<HTMLElement>("[data-row]")];
  const at = rows.indexOf(document.activeElement as HTMLElement);
  const next = rows[at + (event.key === "ArrowDown" ? 1 : -1)];
  if (next) {
    event.preventDefault();
    next.focus();
  }
}

const ROW =
  "grid w-full grid-cols-[28px_minmax(96px,130px)_minmax(0,1fr)_auto] items-center gap-x-3 border-b border-rule px-3 py-1 min-h-16 text-left hover:bg-water-soft focus-visible:bg-water-soft";

function OpenRow({ run }: { run: RunRow }) {
  return (
    <Link to={`/run/${run.id}`} data-row className={ROW}>
      <Ring closed={run.closed} />
      <span className="text-lg font-bold">{run.tag}</span>
      <span className="min-w-0">
        <span className="block truncate">{run.service}</span>
        <span className="block truncate text-sm text-muted">
          {run.status === "returned" ? "Returned by the reviewer, " : ""}at “{run.at_step}”, {run.technician}, since {moment(run.started_at)}
        </span>
      </span>
      <span className="inline-flex items-center gap-2 font-bold text-water">
        Resume <ArrowRight size={18} aria-hidden="true" />
      </span>
    </Link>
  );
}

function DueLine({ row, onStart, busy }: { row: DueRow; onStart: (tag: string) => void; busy: boolean }) {
  const mayStart = useMay("start a run");
  const inside = (
    <>
      <Ring closed={0} state="idle" />
      <span className="text-lg font-bold">{row.tag}</span>
      <span className="min-w-0">
        <span className="block truncate">
          {row.service} <span className="text-muted">· {row.area}</span>
        </span>
        <span className={`block text-sm ${row.doubt ? "font-bold text-iron" : "text-muted"}`}>
          {row.why} {row.last_found && <>Last as found: </>}
          {row.last_found && <Verdict verdict={row.last_found} size={13} />}
        </span>
      </span>
      <span className="inline-flex items-center gap-2 font-bold text-water">
        {row.open_run ? (
          <>
            Under way <ArrowRight size={18} aria-hidden="true" />
          </>
        ) : mayStart ? (
          <>
            Start <Play size={18} aria-hidden="true" />
          </>
        ) : (
          <>
            Open <ArrowRight size={18} aria-hidden="true" />
          </>
        )}
      </span>
    </>
  );
  if (row.open_run) {
    return (
      <Link to={`/run/${row.open_run}`} data-row className={ROW}>
        {inside}
      </Link>
    );
  }
  return mayStart ? (
    <button type="button" data-row className={ROW} onClick={() => onStart(row.tag)} disabled={busy}>
      {inside}
    </button>
  ) : (
    <Link to={`/plant/${encodeURIComponent(row.tag)}`} data-row className={ROW}>
      {inside}
    </Link>
  );
}

function Block({ title, count, tone, children }: { title: string; count: number; tone: string; children: React.ReactNode }) {
  return (
    <section className="mb-6">
      <h2 className={`flex items-baseline gap-3 border-b-2 px-3 pb-1 text-lg font-bold ${tone}`}>
        {title} <span className="text-base font-normal text-muted">{count}</span>
      </h2>
      {children}
    </section>
  );
}

/** The jobs of today's round in their order: what is next, and by how much it drifts. */
function MyRound({ round, onStart, busy }: { round: NonNullable<Schemas["Today"]["round"]>; onStart: (tag: string) => void; busy: boolean }) {
  const done = round.jobs.filter((j) => j.state === "done").length;
  const next = round.jobs.find((j) => j.state === "to do");
  return (
    <section className="mb-6" aria-label="Your round">
      <h2 className="flex items-baseline gap-3 border-b-2 border-water px-3 pb-1 text-lg font-bold">
        <Link to={`/plan/${round.id}`} className="underline-offset-4 hover:underline">
          {round.name}
        </Link>
        <span className="text-base font-normal text-muted">
          {done} of {round.jobs.length} done
        </span>
        {round.late_min > 5 && <span className="text-base text-iron">{round.late_min} min behind</span>}
      </h2>
      {round.jobs.map((j) => (
        <div key={j.tag} className={`${ROW} ${j === next ? "bg-water-soft" : ""}`}>
          <Ring closed={j.state === "done" ? 1 : 0} state={j.state === "done" ? "done" : j.state === "under way" ? "open" : "idle"} />
          <span className="text-lg font-bold">{j.tag}</span>
          <span className="min-w-0">
            <span className="block truncate">
              {j.service}, {j.area}
            </span>
            <span className="block truncate text-sm text-muted">
              {j.tasks.map((t) => `${hm(t.start)} to ${hm(t.end)}`).join(", then ")}
              {j.kit.length > 0 && `, with ${j.kit.join(", ")}`}
            </span>
          </span>
          {j.run ? (
            <Link to={`/run/${j.run}`} data-row className="inline-flex min-h-12 items-center font-bold text-water">
              {j.state === "done" ? "Done" : "Resume"}
            </Link>
          ) : (
            <button type="button" data-row disabled={busy} onClick={() => onStart(j.tag)} className="inline-flex min-h-12 items-center gap-2 font-bold text-water">
              Start <Play size={18} aria-hidden="true" />
            </button>
          )}
        </div>
      ))}
    </section>
  );
}

/** What was found outside and is not followed up yet, the oldest first. */
function FollowedUp() {
  const list = useFollowUps();
  if (!list.data?.open) return null;
  const shown = list.data.rows.slice(0, 2);
  return (
    <Block title="Found outside, to follow up" count={list.data.open} tone="border-iron">
      <FollowUpRows rows={shown} />
      {list.data.open > shown.length && (
        <Link to="/follow-ups" data-row className="inline-flex min-h-12 items-center px-3 font-bold text-water underline">
          All {list.data.open}
        </Link>
      )}
    </Block>
  );
}

export function TodayPage() {
  const today = useToday();
  const person = usePerson();
  const start = useStart();
  const list = useRef<HTMLDivElement>(null);
  useShortcuts([
    { keys: "ArrowDown", says: "first row; then up and down, Enter starts or resumes", run: () => list.current?.querySelector<HTMLElement>("[data-row]")?.focus() },
  ]);
  if (today.isPending) return <Loading what="what is due" />;
  if (today.isError) return <Failure error={today.error} retry={() => void today.refetch()} />;
  const d = today.data;
  const works = person.role === "technician"; // whose own work comes first
  const nothing = !d.open_mine.length && !d.overdue_total && !d.due_total;
  return (
    <div className="mx-auto grid max-w-7xl gap-6 p-4 lg:grid-cols-[minmax(0,1fr)_300px] lg:p-6">
      <div ref={list} onKeyDown={moveFocus} className="min-w-0">
        <h1 className="mb-4 text-2xl font-bold">
          Today <span className="font-normal text-muted">{day(d.date)}</span>
        </h1>
        <EvidenceNotice />
        <Beginning />
        <NotStarted start={start} />
        <Duties />
        {d.open_mine.length > 0 && (
          <Block title="Open, yours" count={d.open_mine.length} tone="border-water">
            {d.open_mine.map((r) => (
              <OpenRow key={r.id} run={r} />
            ))}
          </Block>
        )}
        {d.round && <MyRound round={d.round} onStart={start.mutate} busy={start.isPending} />}
        <ChecksBlock />
        {!works && <FollowedUp />}
        {d.overdue_total > 0 && (
          <Block title="Overdue" count={d.overdue_total} tone="border-iron text-iron">
            {d.overdue.map((r) => (
              <DueLine key={r.tag} row={r} onStart={start.mutate} busy={start.isPending} />
            ))}
          </Block>
        )}
        {works && <FollowedUp />}
        {d.due_total > 0 && (
          <Block title="Due within 30 days" count={d.due_total} tone="border-amber">
            {d.due.map((r) => (
              <DueLine key={r.tag} row={r} onStart={start.mutate} busy={start.isPending} />
            ))}
          </Block>
        )}
        {nothing && (
          <Message>
            Nothing is open or due within 30 days. <Link to="/plant" className="font-bold text-water underline">Look through the plant</Link> to start a
            calibration before its time.
          </Message>
        )}
        {d.open_others.length > 0 && (
          <Block title="Open, others’" count={d.open_others.length} tone="border-rule-strong">
            {d.open_others.map((r) => (
              <OpenRow key={r.id} run={r} />
            ))}
          </Block>
        )}
      </div>
      <aside className="space-y-5 lg:pt-13">
        {person.role === "reviewer" && (
          <section>
            <h2 className="border-b-2 border-water pb-1 font-bold">Waiting for review</h2>
            <Link to="/records?status=signed" className="inline-flex min-h-12 items-center font-bold text-water underline">
              {d.to_review} {d.to_review === 1 ? "record" : "records"}
            </Link>
          </section>
        )}
        <section>
          <h2 className="border-b-2 border-slate pb-1 font-bold">What must happen first</h2>
          {d.first.length ? (
            <ul>
              {d.first.map((f) => (
                <li key={f} className="border-b border-rule py-2 text-sm">
                  {f}
                </li>
              ))}
            </ul>
          ) : (
            <p className="py-2 text-sm text-muted">Nothing: all references are in date.</p>
          )}
        </section>
        {d.on_paper_total > 0 && (
          <p className="text-sm text-muted">
            {d.on_paper_total} more {d.on_paper_total === 1 ? "instrument is" : "instruments are"} due whose method can’t be run here yet; they are in the plant list.
          </p>
        )}
        <p className="text-sm text-muted">Arrow keys move between rows, Enter starts or resumes.</p>
      </aside>
    </div>
  );
}
