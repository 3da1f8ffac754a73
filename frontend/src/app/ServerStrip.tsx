import { useQuery } from "@tanstack/react-query";
import { TriangleAlert } from "lucide-react";
import { Link, useLocation } from "react-router";
import { evidenceQuery } from "../api/queries";
import { TROUBLE_LINE } from "../ui/NotStored";
import { useMay } from "./session";

/** What will soon be wrong with the server, for whoever looks after it: on every page but those that tell it in full. */
export function ServerStrip() {
  const may = useMay("look after the evidence");
  const { pathname } = useLocation();
  const found = useQuery({ ...evidenceQuery, enabled: may, refetchInterval: 120_000, staleTime: 60_000 });
  const [first, ...others] = found.data?.wrong ?? [];
  if (!first || pathname === "/" || pathname === "/evidence") return null;
  return (
    <div role="status" aria-label="The server" className={TROUBLE_LINE}>
      <TriangleAlert size={18} aria-hidden="true" className="shrink-0" />
      <p className="min-w-0 flex-1 truncate">{first}</p>
      <Link to="/evidence" className="inline-flex min-h-12 shrink-0 items-center font-bold text-water underline underline-offset-4">
        {others.length ? `and ${others.length} more` : "To the evidence"}
      </Link>
    </div>
  );
}
