import { useReferences } from "../../api/queries";
import { day } from "../../ui/format";
import { Failure, Loading } from "../../ui/Message";
import { Check, TriangleAlert, X } from "lucide-react";
import { GasKit } from "./GasKit";

function Standing({ standing, days }: { standing: string; days: number }) {
  const [Icon, tone] = standing === "in date" ? [Check, "text-kelp"] : standing === "due soon" ? [TriangleAlert, "text-amber"] : [X, "text-iron"];
  return (
    <span className={`inline-flex items-center gap-1 font-bold ${tone}`}>
      <Icon size={16} strokeWidth={3} aria-hidden="true" /> {standing}
      {standing === "due soon" && <span className="font-normal">, {days} days left</span>}
    </span>
  );
}

export function KitPage() {
  const kit = useReferences();
  if (kit.isPending) return <Loading what="the kit" />;
  if (kit.isError) return <Failure error={kit.error} retry={() => void kit.refetch()} />;
  return (
    <div className="mx-auto max-w-7xl p-4 lg:p-6">
      <h1 className="mb-4 text-2xl font-bold">Kit: reference standards</h1>
      <div className="overflow-x-auto">
        <table className="w-full bg-page [&_td]:pr-4">
          <thead>
            <tr className="border-b-2 border-slate">
              <th className="py-2 pl-3">Reference</th>
              <th>Covers</th>
              <th>Uncertainty</th>
              <th>Certificate</th>
              <th>Good until</th>
              <th className="pr-3">Today</th>
            </tr>
          </thead>
          <tbody>
            {kit.data.map((r) => (
              <tr key={r.code} className="border-b border-rule">
                <td className="py-2 pl-3">
                  <span className="block font-bold">{r.code}</span>
                  <span className="text-sm">{r.name}</span>
                </td>
                <td>
                  <span className="block whitespace-nowrap">{r.range}</span>
                  <span className="text-sm text-muted">{r.quantity}</span>
                </td>
                <td>{r.uncertainty}</td>
                <td>
                  <span className="block">{r.certificate}</span>
                  <span className="text-sm text-muted">{r.laboratory}</span>
                </td>
                <td className="whitespace-nowrap">{day(r.due_on)}</td>
                <td className="pr-3 whitespace-nowrap">
                  <Standing standing={r.standing} days={r.days_left} />
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <GasKit />
    </div>
  );
}
