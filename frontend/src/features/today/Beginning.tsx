import { useQuery } from "@tanstack/react-query";
import { Check, Circle } from "lucide-react";
import { client, unwrap } from "../../api/client";
import { useMay } from "../../app/session";
import { LinkButton } from "../../ui/Button";

/** What an empty plant still lacks before its first calibration; gone once everything is there. */
export function Beginning() {
  const may = useMay("edit the plant");
  const found = useQuery({ queryKey: ["beginning"], queryFn: () => unwrap(client.GET("/api/v1/beginning/")), enabled: may, staleTime: 60_000 });
  const rows = found.data?.rows ?? [];
  if (rows.every((r) => r.is_there)) return null;
  return (
    <section aria-label="Before the first calibration" className="mb-6">
      <h2 className="border-b-4 border-amber pb-1 text-lg font-bold">Before the first calibration</h2>
      <ul className="bg-page">
        {rows.map((r) => {
          const Icon = r.is_there ? Check : Circle;
          return (
            <li key={r.says} className="flex min-h-14 items-center gap-3 border-b border-rule px-3 py-1">
              <Icon size={20} aria-hidden="true" className={r.is_there ? "text-kelp" : "text-amber"} />
              <span className={r.is_there ? "flex-1 text-muted" : "flex-1 font-bold"}>
                {r.says}
                <span className="font-normal">{r.is_there ? ": there" : ": missing"}</span>
              </span>
              {!r.is_there && <LinkButton to={r.link}>{r.words}</LinkButton>}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
