import { ArrowDown, ArrowUp } from "lucide-react";
import type { ReadingSet, Row } from "../../api/client";
import { Verdict } from "../../ui/Verdict";

function StruckRow({ r }: { r: Row }) {
  return (
    <tr className="border-b border-rule text-muted">
      <td className="py-1 line-through">{r.percent}</td>
      <td className="text-right line-through">{r.indicated}</td>
      <td colSpan={3} className="pl-3 text-sm">
        struck by {r.struck_by}: {r.struck}
      </td>
    </tr>
  );
}

/** The readings of a set; struck ones stay in their place, struck through. */
export function ReadingTable({ set, units }: { set: ReadingSet; units: { output: string } }) {
  return (
    <table className="w-full text-[15px]">
      <thead>
        <tr className="border-b-2 border-slate text-sm">
          <th className="font-normal">Point</th>
          <th className="text-right font-normal">Read, {units.output}</th>
          <th className="text-right font-normal">Ideal</th>
          <th className="text-right font-normal">Error</th>
          <th className="pl-3 font-normal">Verdict</th>
        </tr>
      </thead>
      <tbody>
        {set.rows.map((r) =>
          r.struck ? (
            <StruckRow key={r.id} r={r} />
          ) : (
            <tr key={r.id} className="border-b border-rule" title={`${r.says ?? ""} U ${r.u ?? "not known"}, TUR ${r.tur ?? "not known"}`}>
              <td className="py-0.5 whitespace-nowrap">
                {r.percent}{" "}
                {r.direction === "up" ? <ArrowUp size={13} className="inline" aria-label="up" /> : <ArrowDown size={13} className="inline" aria-label="down" />}
              </td>
              <td className="text-right font-bold">
                {r.indicated}
                {r.was_confirmed_unlikely && <abbr title="outside what is expected, confirmed">!</abbr>}
              </td>
              <td className="text-right text-muted">{r.ideal}</td>
              <td className="text-right font-bold whitespace-nowrap">{r.error}</td>
              <td className="pl-3">
                <Verdict verdict={r.verdict} close={r.is_too_close} size={14} />
              </td>
            </tr>
          ),
        )}
      </tbody>
    </table>
  );
}
