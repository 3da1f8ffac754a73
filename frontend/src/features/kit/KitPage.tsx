import { useReferences } from "../../api/queries";
import { day } from "../../ui/format";
import { Failure, Loading } from "../../ui/Message";
import { Check, TriangleAlert, X } from "lucide-react";
import { useMay } from "../../app/session";
import { LinkButton } from "../../ui/Button";
import { GasKit } from "./GasKit";
import { useKitGroups } from "./KitItemPage";
import { KitLink } from "./KitLink";

function Standing({ standing, days }: { standing: string; days: number }) {
  const [Icon, tone] = standing === "in date" ? [Check, "text-kelp"] : standing === "due soon" ? [TriangleAlert, "text-amber"] : [X, "text-iron"];
  return (
    <span className={`inline-flex items-center gap-1 font-bold ${tone}`}>
      <Icon size={16} strokeWidth={3} aria-hidden="true" /> {standing}
      {standing === "due soon" && <span className="font-normal">{days} days left</span>}
    </span>
  );
}

/** What is good for a time of its own: bottles that portions are poured from, syringes, traps. */
function Liquids() {
  const liquids = useKitGroups().data?.liquids ?? [];
  if (!liquids.length) return null;
  return (
    <section className="mt-8">
      <h2 className="mb-2 text-xl font-bold">Buffers, solutions, syringes and traps</h2>
      <ul className="border-t-2 border-slate bg-page">
        {liquids.map((b) => (
          <li key={b.code} className="flex flex-wrap items-center gap-x-5 border-b border-rule px-3">
            <KitLink group={b.group ?? ""} code={b.code ?? ""} />
            <span className="flex-1">{b.words}</span>
            <span>good until {day(b.until)}</span>
            <Standing standing={b.standing ?? ""} days={0} />
          </li>
        ))}
      </ul>
    </section>
  );
}

export function KitPage() {
  const kit = useReferences();
  const mayEdit = useMay("edit the kit");
  if (kit.isPending) return <Loading what="the kit" />;
  if (kit.isError) return <Failure error={kit.error} retry={() => void kit.refetch()} />;
  return (
    <div className="mx-auto max-w-7xl p-4 lg:p-6">
      <div className="mb-4 flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">Kit: reference standards</h1>
        {mayEdit && (
          <>
            <LinkButton to="/kit/new/reference">Add a reference</LinkButton>
            <LinkButton to="/kit/new/bottle">a bottle</LinkButton>
            <LinkButton to="/kit/new/fitting">a regulator or line</LinkButton>
            <LinkButton to="/kit/new/buffer">a buffer</LinkButton>
            <LinkButton to="/kit/new/solution">a conductivity standard</LinkButton>
            <LinkButton to="/kit/new/syringe">a syringe</LinkButton>
            <LinkButton to="/kit/new/trap">a trap</LinkButton>
          </>
        )}
      </div>
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
                <td className="pl-3">
                  <KitLink group="reference" code={r.code} />
                  <span className="block pb-1 text-sm leading-tight">{r.name}</span>
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
      <Liquids />
    </div>
  );
}
