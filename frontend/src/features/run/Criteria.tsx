import type { ReadingSet } from "../../api/client";
import { Verdict } from "../../ui/Verdict";
import { ResultTable } from "./ResultTable";

/** What a set as a whole is judged by, and the tables its trial makes of it. */
export function Criteria({ set }: { set: ReadingSet }) {
  return (
    <>
      {set.criteria.length > 0 && (
        <table className="mt-2 w-full text-[15px]" aria-label={`${set.title}: judged by`}>
          <thead>
            <tr className="border-b-2 border-slate text-sm">
              <th className="font-normal">Judged by</th>
              <th className="text-right font-normal">Value</th>
              <th className="text-right font-normal">Limits</th>
              <th className="pl-3 font-normal">Verdict</th>
            </tr>
          </thead>
          <tbody>
            {set.criteria.map((c) => (
              <tr key={c.name} className="border-b border-rule align-top">
                <td className="py-0.5">
                  {c.label}
                  {c.says && <span className="block text-sm text-muted">{c.says}</span>}
                </td>
                <td className="pl-2 text-right font-bold whitespace-nowrap">
                  {c.value}
                  {c.u && <span className="block text-xs font-normal">U {c.u}</span>}
                </td>
                <td className="pl-2 text-right text-muted">{c.limits}</td>
                <td className="pl-3">
                  <Verdict verdict={c.verdict} size={14} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {set.tables.map((t) => (
        <section key={t.title} aria-label={t.title} className="mt-2">
          <h4 className="text-sm font-bold">{t.title}</h4>
          <ResultTable head={t.head} rows={t.rows} />
        </section>
      ))}
    </>
  );
}
