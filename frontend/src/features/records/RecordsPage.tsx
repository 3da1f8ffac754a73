import { Link } from "react-router";
import { useRecords } from "../../api/queries";
import { LinkButton } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { day, signedPercent } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Pager } from "../../ui/Pager";
import { Ring } from "../../ui/Ring";
import { useFilters } from "../../ui/useFilters";
import { Verdict } from "../../ui/Verdict";
import { useFollowUps } from "../followups/useFollowUps";

const STATUSES = [
  { value: "", label: "All" },
  { value: "signed", label: "Waiting for review" },
  { value: "returned", label: "Returned" },
  { value: "accepted", label: "Accepted" },
  { value: "voided", label: "Void" },
];
const WORDS: Record<string, string> = { signed: "waiting for review", returned: "returned", accepted: "accepted", voided: "void" };
const VERDICTS = [
  { value: "", label: "Any" },
  { value: "pass", label: "pass" },
  { value: "marginal", label: "marginal" },
  { value: "fail", label: "fail" },
];

export function RecordsPage() {
  const [get, set, page] = useFilters();
  const list = useRecords({ search: get("search"), status: get("status"), verdict: get("verdict"), page });
  const followUps = useFollowUps();
  if (list.isPending) return <Loading what="the records" />;
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const d = list.data;
  return (
    <div className="mx-auto max-w-7xl p-4 lg:p-6">
      <div className="mb-4 flex flex-wrap items-end gap-4">
        <h1 className="mr-auto text-2xl font-bold">Records</h1>
        <LinkButton to="/evidence">Evidence</LinkButton>
        <LinkButton to="/follow-ups">Found outside{followUps.data ? `: ${followUps.data.open} to follow up` : ""}</LinkButton>
        <div className="w-72">
          <TextField label="Search" type="search" value={get("search")} onChange={(v) => set({ search: v })} placeholder="number, part of tag or service" />
        </div>
        <div className="w-52">
          <ChoiceField label="Status" value={get("status")} onChange={(v) => set({ status: v })} options={STATUSES} />
        </div>
        <div className="w-36">
          <ChoiceField label="As found" value={get("verdict")} onChange={(v) => set({ verdict: v })} options={VERDICTS} />
        </div>
      </div>
      {d.rows.length === 0 ? (
        <Message>No record matches these filters.</Message>
      ) : (
        <table className="w-full bg-page">
          <thead>
            <tr className="border-b-2 border-slate">
              <th className="py-2 pl-3">Record</th>
              <th>Instrument</th>
              <th className="max-md:hidden">Signed</th>
              <th>As found</th>
              <th className="text-right max-md:hidden">Largest error</th>
              <th className="pl-6">As left</th>
              <th className="max-md:hidden">By</th>
              <th className="pr-3">Status</th>
            </tr>
          </thead>
          <tbody>
            {d.rows.map((r) => (
              <tr key={r.id} className="border-b border-rule hover:bg-water-soft">
                <td className="pl-3">
                  <Link to={`/records/${r.id}`} className="inline-flex min-h-12 items-center gap-2 font-bold text-water underline-offset-4 hover:underline">
                    <Ring closed={r.closed} state={r.status === "voided" ? "void" : undefined} size={18} />
                    {r.number}
                  </Link>
                </td>
                <td>
                  <span className="font-bold">{r.tag}</span> <span className="text-muted max-lg:hidden">{r.service}</span>
                </td>
                <td className="whitespace-nowrap max-md:hidden">{day(r.signed_at)}</td>
                <td>
                  <Verdict verdict={r.found_verdict || null} size={14} />
                </td>
                <td className="text-right max-md:hidden">{signedPercent(r.found_error)}</td>
                <td className="pl-6">
                  <Verdict verdict={r.left_verdict || null} size={14} />
                </td>
                <td className="max-md:hidden">{r.technician}</td>
                <td className="pr-3">{WORDS[r.status] ?? r.status}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Pager page={d.page} pages={d.pages} total={d.total} what="records" onPage={(p) => set({ page: String(p) })} />
    </div>
  );
}
