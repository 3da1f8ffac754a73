import { ChevronDown, ChevronUp, Clock, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { useHolds } from "../api/queries";
import type { HoldRow } from "../features/holds/HoldForms";
import { span, when } from "../ui/format";
import { useNow } from "../ui/useNow";

/** One of a step of its own first, such as my lock-out, which keeps hands safe; then what is overdue, then what is mine or offered to me, then by its end. */
function order(holds: HoldRow[], me: string, now: number): HoldRow[] {
  const rank = (h: HoldRow) => {
    const isMine = h.holder === me || h.offered_to === me;
    if (isMine && h.is_own) return -1;
    return (Date.parse(h.until) < now ? 0 : 2) + (isMine ? 0 : 1);
  };
  return [...holds].sort((a, b) => rank(a) - rank(b) || a.until.localeCompare(b.until));
}

function Line({ hold: h, now, me }: { hold: HoldRow; now: number; me: string }) {
  const late = now - Date.parse(h.until);
  const Icon = late > 0 ? TriangleAlert : Clock;
  const longer = h.extended.at(-1);
  const due = late > 0 ? `due back ${when(h.until)}: overdue by ${span(late)}. Release it or say why not.` : h.is_due_soon ? `due back in ${span(-late)}, at ${when(h.until)}` : `due back ${when(h.until)}`;
  return (
    <div className={`flex h-12 min-w-0 flex-1 items-center gap-x-3 border-l-8 px-4 ${late > 0 ? "border-iron bg-iron-soft" : "border-amber bg-amber-soft"}`}>
      <Icon size={18} aria-hidden="true" className="shrink-0" />
      <Link to={h.run_status === "voided" || h.offered_to === me ? "/holds" : `/run/${h.run}`} className="inline-flex h-12 shrink-0 items-center font-bold underline underline-offset-4">
        {h.tag}
      </Link>
      <span className="hidden shrink-0 font-bold sm:inline">{h.kind} is on</span>
      <span className={`truncate ${late > 0 ? "font-bold text-iron" : ""}`}>{due}</span>
      {h.still.length > 0 && <strong className="min-w-0 truncate">{h.still.join(" ")}</strong>}
      <span className="hidden min-w-0 truncate md:inline">
        {h.offered_to === me ? `${h.holder_name} hands it over to you` : `${h.holder_name}, for ${span(now - Date.parse(h.placed_at))}`}
        {longer && `; longer: ${longer}`}
      </span>
    </div>
  );
}

/** Mine, where what is more pressing has the line: never out of sight. */
function Mine({ hold: h, now }: { hold: HoldRow; now: number }) {
  const late = now - Date.parse(h.until);
  return (
    <Link to={`/run/${h.run}`} className={`inline-flex h-12 max-w-[45%] shrink-0 items-center gap-2 px-3 ${late > 0 ? "bg-iron-soft" : "bg-amber-soft"}`}>
      <span className="truncate">
        Yours: <strong className="underline underline-offset-4">{h.tag}</strong> {late > 0 ? `overdue by ${span(late)}` : `due back ${when(h.until)}`}
        {h.still.length > 0 && <strong> {h.still.join(" ")}</strong>}
      </span>
    </Link>
  );
}

/** Every instrument held out of service, on every page, in one line: the most pressing first, the others on demand. */
export function HoldStrip({ me }: { me: string }) {
  const holds = useHolds();
  const now = useNow(15_000);
  const [open, setOpen] = useState(false);
  if (!holds.data?.length) return null;
  const [first, ...others] = order(holds.data, me, now);
  if (!first) return null;
  const isMine = (h: HoldRow) => h.holder === me;
  const mine = isMine(first) ? undefined : others.find(isMine);
  const overdue = others.filter((h) => Date.parse(h.until) < now).length;
  return (
    <section aria-label="Open holds" className="relative shrink-0 border-b border-rule">
      <div className="flex items-stretch">
        <Line hold={first} now={now} me={me} />
        {mine && <Mine hold={mine} now={now} />}
        {others.length > 0 && (
          <button type="button" aria-expanded={open} onClick={() => setOpen(!open)} className="inline-flex h-12 shrink-0 items-center gap-1 bg-page px-3 font-bold text-water">
            +{others.length} {others.length === 1 ? "other" : "others"}
            {overdue > 0 && `, ${overdue} overdue`}
            {open ? <ChevronUp size={18} aria-hidden="true" /> : <ChevronDown size={18} aria-hidden="true" />}
          </button>
        )}
      </div>
      {open && others.length > 0 && (
        <ul className="absolute inset-x-0 top-full z-20 max-h-72 overflow-y-auto border-y border-rule-strong bg-page shadow-lg">
          {others.map((h) => (
            <li key={h.id} className="flex">
              <Line hold={h} now={now} me={me} />
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
