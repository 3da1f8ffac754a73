import { Link } from "react-router";
import { useCheckRounds, useChecksDue } from "./checks";

/** Function checks in a line or two: how many are due, and the rounds under way. */
export function ChecksBlock() {
  const due = useChecksDue("");
  const rounds = useCheckRounds();
  const late = due.data?.filter((r) => r.standing === "overdue").length ?? 0;
  const mine = rounds.data?.filter((r) => r.is_mine) ?? [];
  if (!due.data?.length && !mine.length) return null;
  return (
    <section className="mb-6" aria-label="Function checks">
      <h2 className={`flex items-baseline gap-3 border-b-2 px-3 pb-1 text-lg font-bold ${late ? "border-iron text-iron" : "border-amber"}`}>
        Function checks{" "}
        <span className="text-base font-normal text-muted">
          {late > 0 && `${late} overdue, `}
          {(due.data?.length ?? 0) - late} due within 30 days
        </span>
      </h2>
      {mine.map((r) => (
        <Link key={r.id} to={`/checks/${r.id}`} data-row className="flex min-h-13 items-center gap-3 border-b border-rule px-3 hover:bg-water-soft">
          <strong>Your round</strong> {r.done} of {r.jobs} done <span className="ml-auto font-bold text-water">Go on</span>
        </Link>
      ))}
      {Boolean(due.data?.length) && (
        <Link to="/checks" data-row className="flex min-h-13 items-center gap-3 border-b border-rule px-3 hover:bg-water-soft">
          <span className="min-w-0 flex-1 truncate">
            {due.data
              ?.slice(0, 6)
              .map((r) => r.tag)
              .join(", ")}
            {(due.data?.length ?? 0) > 6 && ` and ${(due.data?.length ?? 0) - 6} more`}
          </span>
          <span className="font-bold whitespace-nowrap text-water">Choose and check them</span>
        </Link>
      )}
    </section>
  );
}
