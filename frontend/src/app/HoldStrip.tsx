import { Clock, TriangleAlert } from "lucide-react";
import { Link } from "react-router";
import { useHolds } from "../api/queries";
import { clock, span } from "../ui/format";
import { useNow } from "../ui/useNow";

/** Every instrument held out of service, on every page, until it is released. */
export function HoldStrip() {
  const holds = useHolds();
  const now = useNow(15_000);
  if (!holds.data?.length) return null;
  const waiting = holds.data.filter((h) => Date.parse(h.until) >= now).length;
  const alone = waiting === 1;
  return (
    <section aria-label="Open holds" className="max-h-48 shrink-0 overflow-y-auto border-b border-rule">
      {holds.data.length > 4 && (
        <Link to="/holds" className="flex min-h-12 items-center px-6 font-bold text-water underline underline-offset-4">
          All {holds.data.length} holds
        </Link>
      )}
      <ul className="grid lg:grid-cols-2">
        {holds.data.map((h) => {
          const late = now - Date.parse(h.until);
          const overdue = late > 0;
          const Icon = overdue ? TriangleAlert : Clock;
          return (
            <li
              key={h.run + h.placed_at}
              className={`flex flex-wrap items-center gap-x-4 gap-y-0 border-l-8 px-4 lg:flex-nowrap lg:gap-x-3 ${overdue ? "border-iron bg-iron-soft lg:col-span-2" : `border-amber bg-amber-soft ${alone ? "lg:col-span-2" : ""}`}`}
            >
              <Icon size={18} aria-hidden="true" className="shrink-0" />
              <Link to={h.run_status === "voided" ? "/holds" : `/run/${h.run}`} className="inline-flex min-h-12 shrink-0 items-center font-bold underline underline-offset-4">
                {h.tag}
              </Link>
              <span className="shrink-0 font-bold">{h.kind} is on</span>
              <span className="min-w-0 lg:truncate">
                {h.holder_name}, {overdue && `since ${clock(h.placed_at)}, `}for {span(now - Date.parse(h.placed_at))}
              </span>
              <span className={`lg:shrink-0 ${overdue ? "font-bold text-iron" : ""}`}>
                {overdue ? `due back ${clock(h.until)}: overdue by ${span(late)}. Release it or say why not.` : h.is_due_soon ? `due back in ${span(-late)}, at ${clock(h.until)}` : `due back ${clock(h.until)}`}
              </span>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
