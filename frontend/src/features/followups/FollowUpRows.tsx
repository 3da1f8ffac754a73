import { ArrowRight } from "lucide-react";
import { Link } from "react-router";
import type { FollowUpRow } from "./useFollowUps";

export function daysOpen(days: number): string {
  return days === 0 ? "since today" : days === 1 ? "since yesterday" : `for ${days} days`;
}

/** Instruments that were found outside, each with what is still to be answered. */
export function FollowUpRows({ rows }: { rows: FollowUpRow[] }) {
  return (
    <ul>
      {rows.map((r) => (
        <li key={r.id} className="border-b border-rule bg-page">
          <Link to={`/follow-ups/${r.id}`} data-row className="grid min-h-16 w-full grid-cols-[minmax(96px,158px)_minmax(0,1fr)_auto] items-center gap-x-3 px-3 py-1 hover:bg-water-soft focus-visible:bg-water-soft">
            <span className="text-lg font-bold">{r.tag}</span>
            <span className="min-w-0">
              <span className="block">
                {r.service} <span className="text-muted">· {r.area}, {r.number}, {r.is_open ? `open ${daysOpen(r.days)}` : "closed"}</span>
              </span>
              <span className="block text-sm">{r.estimate}</span>
              <span className="block text-sm text-muted">
                {r.is_open ? (r.missing.length ? `To answer: ${r.missing.join("; ").toLowerCase()}.` : "All answered: somebody else may close it.") : r.closed_by ? `Closed by ${r.closed_by}. ${r.note}` : r.note}
              </span>
            </span>
            <ArrowRight size={18} aria-hidden="true" className="text-water" />
          </Link>
        </li>
      ))}
    </ul>
  );
}
