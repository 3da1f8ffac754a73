import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { client, unwrap, type Schemas } from "../../api/client";

type Day = Schemas["DueDay"];
const WEEKDAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];

function words(d: Day): string {
  const told = d.due === 0 ? "nothing due" : `${d.due} due${d.overdue ? `, ${d.overdue} of them overdue` : ""}`;
  return `${d.day}: ${told}`;
}

function Cell({ d, today, chosen, onChoose }: { d: Day; today: string; chosen: boolean; onChoose: (day: string) => void }) {
  const past = d.day < today;
  const edge = chosen ? "border-water bg-water-soft" : d.day === today ? "border-slate" : "border-transparent";
  return (
    <td className="border border-rule p-0 align-top">
      <button
        type="button"
        aria-label={words(d)}
        aria-pressed={chosen}
        disabled={past}
        onClick={() => onChoose(chosen ? "" : d.day)}
        className={`flex min-h-13 w-full flex-col items-start border-2 px-1.5 pt-0.5 text-left ${edge} ${past ? "opacity-40" : "hover:bg-water-soft"}`}
      >
        <span className="text-xs text-muted">{Number(d.day.slice(8))}</span>
        {d.due > 0 && (
          <span className={`text-lg leading-5 font-bold ${d.overdue ? "text-iron" : ""}`}>
            {d.due}
            {d.overdue > 0 && <span className="text-xs"> !</span>}
          </span>
        )}
      </button>
      {d.rounds.map((r) => (
        <Link key={r.id} to={`/plan/${r.id}`} className="block truncate bg-water px-1.5 text-xs leading-6 font-bold text-on-water" title={r.name}>
          {r.name}
        </Link>
      ))}
    </td>
  );
}

/** Five weeks from this Monday: how much falls due on each day, and the rounds that are planned. A day chosen narrows the list beside it. */
export function DueCalendar({ area, chosen, onChoose }: { area: string; chosen: string; onChoose: (day: string) => void }) {
  const days = useQuery({ queryKey: ["due", "days", area], queryFn: () => unwrap(client.GET("/api/v1/due/days/", { params: { query: { area } } })) }).data ?? [];
  if (!days.length) return null;
  const weeks = Array.from({ length: days.length / 7 }, (_, n) => days.slice(7 * n, 7 * n + 7));
  const now = new Date();
  const today = `${now.getFullYear()}-${String(now.getMonth() + 1).padStart(2, "0")}-${String(now.getDate()).padStart(2, "0")}`;
  return (
    <section aria-label="Calendar of what is due">
      <table className="w-full table-fixed bg-page">
        <thead>
          <tr>
            {WEEKDAYS.map((w) => (
              <th key={w} className="pb-1 text-sm font-normal text-muted">
                {w}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {weeks.map((week) => (
            <tr key={week[0]?.day}>
              {week.map((d) => (
                <Cell key={d.day} d={d} today={today} chosen={d.day === chosen} onChoose={onChoose} />
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="pt-1 text-sm text-muted">How many fall due that day; what is overdue stands at today, with !. Choose a day to see them.</p>
    </section>
  );
}
