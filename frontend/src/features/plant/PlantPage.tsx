import { TriangleAlert } from "lucide-react";
import { useRef } from "react";
import { Link } from "react-router";
import { useInstruments } from "../../api/queries";
import { useMay } from "../../app/session";
import { useShortcuts } from "../../app/shortcuts";
import { LinkButton } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { day } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Pager } from "../../ui/Pager";
import { Ring } from "../../ui/Ring";
import { useFilters } from "../../ui/useFilters";
import { Verdict } from "../../ui/Verdict";

export function PlantPage() {
  const [get, set, page] = useFilters();
  const search = useRef<HTMLInputElement>(null);
  const mayEdit = useMay("edit the plant");
  const list = useInstruments({ search: get("search"), area: get("area"), family: get("family"), page });
  useShortcuts([{ keys: "/", says: "search", run: () => search.current?.focus() }]);
  if (list.isPending) return <Loading what="the plant" />;
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  const d = list.data;
  return (
    <div className="mx-auto max-w-7xl p-4 lg:p-6">
      <div className="mb-2 flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">Plant</h1>
        <LinkButton to="/scan">Scan</LinkButton>
        <LinkButton href={`/api/v1/labels/?${new URLSearchParams({ search: get("search"), area: get("area"), family: get("family") }).toString()}`}>Labels</LinkButton>
        <LinkButton to="/safety">Safety functions</LinkButton>
        <LinkButton to="/policies">Policies</LinkButton>
        <LinkButton to="/plant/areas">Areas</LinkButton>
        <LinkButton to="/plant/imports">Import, export</LinkButton>
        {mayEdit && (
          <LinkButton to="/plant/new" kind="primary">
            Add an instrument
          </LinkButton>
        )}
      </div>
      <div className="mb-3 flex flex-wrap items-end gap-4">
        <div className="min-w-72 flex-1">
          <TextField label="Search" type="search" value={get("search")} onChange={(v) => set({ search: v })} inputRef={search} placeholder="part of tag, service or serial" />
        </div>
        <div className="w-56">
          <ChoiceField label="Area" value={get("area")} onChange={(v) => set({ area: v })} options={[{ value: "", label: "All areas" }, ...d.areas.map((a) => ({ value: a.code, label: a.name }))]} />
        </div>
        <div className="w-48">
          <ChoiceField label="Family" value={get("family")} onChange={(v) => set({ family: v })} options={[{ value: "", label: "All families" }, ...(d.choices.family ?? [])]} />
        </div>
      </div>
      {d.rows.length === 0 ? (
        <Message>No instrument matches. Try a shorter part of the tag, or another area.</Message>
      ) : (
        <table className="w-full bg-page">
          <thead>
            <tr className="border-b-2 border-slate">
              <th className="py-2 pl-3">Tag</th>
              <th>Service</th>
              <th className="max-md:hidden">Area</th>
              <th className="max-lg:hidden">Method</th>
              <th className="text-right max-md:hidden">Range</th>
              <th className="pl-6">As found</th>
              <th className="pr-3 text-right">Next due</th>
            </tr>
          </thead>
          <tbody>
            {d.rows.map((r) => (
              <tr key={r.tag} className="border-b border-rule hover:bg-water-soft">
                <td className="pr-3 pl-3 whitespace-nowrap">
                  <Link to={`/plant/${encodeURIComponent(r.tag)}`} className="inline-flex min-h-12 items-center gap-2 font-bold text-water underline-offset-4 hover:underline">
                    <Ring closed={0} state={r.last_done_on ? "done" : "idle"} size={18} />
                    {r.tag}
                  </Link>
                </td>
                <td className="max-w-72">
                  <span className="block truncate">
                    {r.service}
                    {r.state !== "in use" && <strong> {r.state}</strong>}
                    {r.names_before.length > 0 && <span className="text-muted">, was {r.names_before.join(", ")}</span>}
                  </span>
                  {r.doubt && (
                    <span className="block pb-1 text-sm font-bold text-iron">
                      <TriangleAlert size={14} aria-hidden="true" className="mr-1 inline" />
                      Not to be relied on: {r.doubt}
                    </span>
                  )}
                </td>
                <td className="pr-3 whitespace-nowrap max-md:hidden">{r.area}</td>
                <td className="text-sm text-muted max-lg:hidden">
                  {r.method_title}
                  {!r.is_runnable && ", on paper"}
                </td>
                <td className="text-right whitespace-nowrap max-md:hidden">{r.range}</td>
                <td className="pl-6">
                  <Verdict verdict={r.last_found || null} size={14} />
                </td>
                <td className="pr-3 text-right whitespace-nowrap">{r.next_due ? day(r.next_due) : "not set"}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <Pager page={d.page} pages={d.pages} total={d.total} what="instruments" onPage={(p) => set({ page: String(p) })} />
    </div>
  );
}
