import { useQuery } from "@tanstack/react-query";
import { Search, Star } from "lucide-react";
import { useState } from "react";
import { Link, useParams, useSearchParams } from "react-router";
import { client, unwrap } from "../../api/client";
import { TextField } from "../../ui/fields";
import { Failure, Loading, Message } from "../../ui/Message";
import { useDraft } from "../../ui/useDraft";
import type { Sheet } from "./sheet";
import { SheetView } from "./SheetView";

function List({ sheets, current, favourites, suffix }: { sheets: Sheet[]; current: string; favourites: string[]; suffix: string }) {
  const groups = [...new Set(sheets.map((s) => s.group))];
  const liked = sheets.filter((s) => favourites.includes(s.name));
  const item = (s: Sheet) => (
    <li key={s.name}>
      <Link
        to={`/calculators/${s.name}${suffix}`}
        aria-current={s.name === current ? "page" : undefined}
        className={`flex min-h-12 items-center border-l-4 px-3 ${s.name === current ? "border-water bg-water-soft font-bold" : "border-transparent hover:bg-water-soft"}`}
      >
        {s.title}
      </Link>
    </li>
  );
  return (
    <nav aria-label="Calculations">
      {liked.length > 0 && (
        <section>
          <h2 className="flex items-center gap-1 pt-3 font-bold">
            <Star size={16} aria-hidden="true" /> Favourites
          </h2>
          <ul>{liked.map(item)}</ul>
        </section>
      )}
      {groups.map((g) => (
        <section key={g}>
          <h2 className="pt-3 text-sm text-muted">{g}</h2>
          <ul>{sheets.filter((s) => s.group === g).map(item)}</ul>
        </section>
      ))}
    </nav>
  );
}

/** Pocket tools: every calculation of the core, found by name, kept by liking, with its formula and source. */
export function CalculatorsPage() {
  const { name = "" } = useParams();
  const [params] = useSearchParams();
  const run = params.get("run") ?? "";
  const [search, setSearch] = useState("");
  const [kept, keep] = useDraft("calculators/favourites");
  const sheets = useQuery({ queryKey: ["calculators"], queryFn: () => unwrap(client.GET("/api/v1/calculators/")), staleTime: Infinity });
  if (sheets.isPending) return <Loading what="the calculations" />;
  if (sheets.isError) return <Failure error={sheets.error} retry={() => void sheets.refetch()} />;
  const favourites = kept.split(" ").filter(Boolean);
  const words = search.toLowerCase().split(/\s+/).filter(Boolean);
  const found = sheets.data.filter((s) => words.every((w) => `${s.title} ${s.purpose} ${s.name} ${s.group}`.toLowerCase().includes(w)));
  const sheet = sheets.data.find((s) => s.name === name);
  const suffix = run ? `?run=${run}` : "";
  const like = (n: string) => keep((favourites.includes(n) ? favourites.filter((f) => f !== n) : [...favourites, n]).join(" "));
  return (
    <div className="grid h-full min-h-0 lg:grid-cols-[320px_minmax(0,1fr)]">
      <div className="min-h-0 overflow-y-auto border-rule px-4 py-3 lg:border-r">
        <h1 className="pb-2 text-2xl font-bold">Calculators</h1>
        <div className="relative">
          <TextField label="Search" type="search" value={search} onChange={setSearch} autoFocus={!name} />
          <Search size={18} aria-hidden="true" className="absolute right-3 bottom-4 text-muted" />
        </div>
        {found.length ? <List sheets={found} current={name} favourites={favourites} suffix={suffix} /> : <p className="py-4">Nothing is called so. Try “mV”, “gas” or “belt”.</p>}
      </div>
      <div className="min-h-0 overflow-y-auto px-6 py-4">
        {sheet ? (
          <SheetView key={sheet.name} sheet={sheet} run={run} liked={favourites.includes(sheet.name)} onLike={() => like(sheet.name)} />
        ) : name ? (
          <Message tone="edge">There is no calculation “{name}”.</Message>
        ) : (
          <p className="max-w-prose pt-10 text-muted">
            Choose a calculation. What you type stays here while you move about; a star keeps the ones you use at the top.
          </p>
        )}
      </div>
    </div>
  );
}
