import type { ReadingSet } from "../../api/client";

/** The components behind a U, and what it leads to. */
export function Budget({ budget: b }: { budget: ReadingSet["budget"] }) {
  if (!b) return <p className="text-sm text-muted">No reference was chosen, so there is no uncertainty.</p>;
  return (
    <table className="w-full text-sm">
      <caption className="pb-1 text-left">
        At {b.at}: U = {b.expanded} of span, k = {b.k} (u {b.combined}, {b.dof === "no limit" ? "no limit to the" : b.dof} degrees of freedom).
        TUR {b.tur}. Probability of conformance {b.p_conform}, of a wrong accept {b.p_wrong}.
      </caption>
      <thead>
        <tr className="border-b border-slate">
          <th className="font-normal">From</th>
          <th className="text-right font-normal">Value</th>
          <th className="pl-2 font-normal">Distribution</th>
          <th className="text-right font-normal">Standard u</th>
        </tr>
      </thead>
      <tbody>
        {b.rows.map((r) => (
          <tr key={r.name} className="border-b border-rule">
            <td>{r.name}</td>
            <td className="text-right">{r.value}</td>
            <td className="pl-2">{r.distribution}</td>
            <td className="text-right">{r.standard}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
