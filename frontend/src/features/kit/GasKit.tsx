import { Check, TriangleAlert, X } from "lucide-react";
import { useGas } from "../../api/queries";
import { day } from "../../ui/format";
import { Failure, Loading } from "../../ui/Message";
import { KitLink } from "./KitLink";

const GOOD = ["in date"];
const EDGE = ["due soon", "nearly empty"];

/** Bottles with what is left in them, regulators and lines. */
export function GasKit() {
  const gas = useGas();
  if (gas.isPending) return <Loading what="the gas" />;
  if (gas.isError) return <Failure error={gas.error} />;
  return (
    <section className="mt-8">
      <h2 className="mb-2 text-xl font-bold">Gas bottles</h2>
      <div className="overflow-x-auto">
        <table className="w-full bg-page">
          <thead>
            <tr className="border-b-2 border-slate">
              <th className="py-2 pl-3">Bottle</th>
              <th>Holds</th>
              <th>Left</th>
              <th>Certificate</th>
              <th>Good until</th>
              <th className="pr-3">Today</th>
            </tr>
          </thead>
          <tbody>
            {gas.data.bottles.map((b) => {
              const [Icon, tone] = GOOD.includes(b.standing) ? [Check, "text-kelp"] : EDGE.includes(b.standing) ? [TriangleAlert, "text-amber"] : [X, "text-iron"];
              const share = Math.min(1, (b.litres_left ?? 0) / b.litres_full);
              return (
                <tr key={b.code} className="border-b border-rule align-top">
                  <td className="py-2 pl-3">
                    <KitLink group="bottle" code={b.code} />
                    <span className="block text-sm">{b.name}</span>
                  </td>
                  <td>
                    {b.holds}
                    {b.suspicion && <span className="block max-w-sm text-sm font-bold text-iron">{b.suspicion}</span>}
                  </td>
                  <td className="whitespace-nowrap">
                    {b.litres_left} of {b.litres_full} l
                    <svg viewBox="0 0 100 8" className="mt-1 block h-2 w-28" aria-hidden="true">
                      <rect width="100" height="8" fill="var(--rule)" />
                      <rect width={100 * share} height="8" fill="var(--water)" />
                    </svg>
                  </td>
                  <td>{b.certificate}</td>
                  <td className="whitespace-nowrap">{b.expires_on ? day(b.expires_on) : "no date"}</td>
                  <td className={`pr-3 whitespace-nowrap font-bold ${tone}`}>
                    <Icon size={16} strokeWidth={3} aria-hidden="true" className="mr-1 inline" />
                    {b.standing}
                  </td>
                </tr>
              );
            })}
          </tbody>
        </table>
      </div>
      <h2 className="mt-6 mb-2 text-xl font-bold">Regulators and lines</h2>
      <ul>
        {gas.data.fittings.map((f) => (
          <li key={f.code} className="flex items-center gap-4 border-b border-rule">
            <KitLink group="fitting" code={f.code} /> {f.words}
          </li>
        ))}
      </ul>
    </section>
  );
}
