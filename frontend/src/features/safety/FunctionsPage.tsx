import { TriangleAlert } from "lucide-react";
import { Link } from "react-router";
import { useMay } from "../../app/session";
import { LinkButton } from "../../ui/Button";
import { day } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { useFunctions } from "./functions";

/** All safety functions, those with a proof test overdue first. */
export function FunctionsPage() {
  const list = useFunctions();
  const mayEdit = useMay("edit the plant");
  if (list.isPending) return <Loading what="the safety functions" />;
  if (list.isError) return <Failure error={list.error} retry={() => void list.refetch()} />;
  return (
    <div className="mx-auto max-w-6xl space-y-4 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-3">
        <h1 className="mr-auto text-2xl font-bold">Safety functions</h1>
        {mayEdit && (
          <LinkButton to="/safety-new" kind="primary">
            Add a function
          </LinkButton>
        )}
      </div>
      {list.data.rows.length === 0 && <Message>None is entered. Where an instrument belongs to one, each of its calibrations asks for the proof test.</Message>}
      <ul className="border-t-2 border-slate bg-page">
        {list.data.rows.map((f) => (
          <li key={f.code} className="grid items-center gap-x-4 border-b border-rule px-3 py-1 sm:grid-cols-[8rem_1fr_12rem_14rem]">
            <Link to={`/safety/${encodeURIComponent(f.code)}`} className="inline-flex min-h-12 items-center font-bold text-water hover:underline">
              {f.code}
            </Link>
            <span>
              {f.name}
              <span className="block text-sm text-muted">{f.tags.join(", ") || "no instrument yet"}</span>
            </span>
            <span>
              {f.level}, {f.voting}
              <span className="block text-sm text-muted">{f.mode}</span>
            </span>
            <span className={f.overdue ? "inline-flex items-center gap-1 font-bold text-iron" : ""}>
              {f.overdue > 0 && <TriangleAlert size={18} aria-hidden="true" />}
              {f.next_proof ? `${f.overdue ? "Proof test overdue since" : "Proof test by"} ${day(f.next_proof)}` : ""}
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}
