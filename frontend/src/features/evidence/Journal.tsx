import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { client, unwrap } from "../../api/client";
import { LinkButton } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { moment } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Pager } from "../../ui/Pager";
import { useFilters } from "../../ui/useFilters";

const GROUPS = [
  { value: "", label: "What was changed" },
  { value: "registers", label: "Registers as they stood" },
  { value: "runs", label: "Events of runs" },
  { value: "all", label: "Everything" },
];

/** Who changed what, when, from what to what: searched, filtered, and as a file. */
export function Journal() {
  const [get, set, page] = useFilters();
  const query = { group: get("group") || "changes", search: get("search"), since: get("since"), until: get("until") };
  const list = useQuery({
    queryKey: ["journal", query, page],
    queryFn: () => unwrap(client.GET("/api/v1/journal/", { params: { query: { ...query, page } } })),
    placeholderData: keepPreviousData,
  });
  return (
    <section aria-labelledby="journal" className="space-y-3">
      <div className="flex flex-wrap items-end gap-4">
        <h2 id="journal" className="mr-auto text-xl font-bold">
          Who changed what
        </h2>
        <div className="w-72">
          <TextField label="Search" type="search" value={get("search")} onChange={(v) => set({ search: v })} placeholder="tag, code, name or word" />
        </div>
        <div className="w-60">
          <ChoiceField label="Of" value={get("group")} onChange={(v) => set({ group: v })} options={GROUPS} />
        </div>
        <div className="w-40">
          <TextField label="Since" placeholder="2026-12-01" value={get("since")} onChange={(v) => set({ since: v })} />
        </div>
        <div className="w-40">
          <TextField label="Until" placeholder="2026-12-31" value={get("until")} onChange={(v) => set({ until: v })} />
        </div>
        <LinkButton href={`/api/v1/journal/file/?${new URLSearchParams(query).toString()}`}>As a file</LinkButton>
      </div>
      {list.isPending && <Loading what="the journal" />}
      {list.isError && <Failure error={list.error} retry={() => void list.refetch()} />}
      {list.data?.rows.length === 0 && <Message>Nothing in the journal matches these filters.</Message>}
      {list.data && list.data.rows.length > 0 && (
        <table className="w-full bg-page text-sm">
          <thead>
            <tr className="border-b-2 border-slate">
              <th className="py-2 pr-3 pl-3 text-right">Entry</th>
              <th className="pr-4">When</th>
              <th className="pr-4">Who</th>
              <th className="pr-4">Of</th>
              <th className="pr-3">What, and why</th>
            </tr>
          </thead>
          <tbody>
            {list.data.rows.map((r) => (
              <tr key={r.seq} className="border-b border-rule align-top">
                <td className="py-2 pr-3 pl-3 text-right tabular-nums text-muted">{r.seq}</td>
                <td className="py-2 pr-4 whitespace-nowrap">{moment(r.at)}</td>
                <td className="py-2 pr-4 whitespace-nowrap">{r.by || "–"}</td>
                <td className="py-2 pr-4">
                  <strong className="whitespace-nowrap">{r.subject}</strong> <span className="text-muted">{r.kind}</span>
                </td>
                <td className="py-2 pr-3">
                  <span className="line-clamp-4 break-words">{r.says}</span>
                  {r.reason && <span className="block text-muted">{r.reason}</span>}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {list.data && <Pager page={list.data.page} pages={list.data.pages} total={list.data.total} what="entries" onPage={(n) => set({ page: String(n) })} />}
    </section>
  );
}
