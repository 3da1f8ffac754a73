import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate, useParams } from "react-router";
import { client, unwrap, type Schemas } from "../../api/client";
import { Button, LinkButton } from "../../ui/Button";
import { FateLine } from "../../ui/FateLine";
import { Failure, Loading, Message } from "../../ui/Message";

type Intake = Schemas["Intake"];
type Row = Schemas["IntakeRow"];

const STATUS: Record<string, string> = { ready: "is read; nothing is written yet", written: "is written", undone: "was taken back" };

/** What each row of a file would do to its register; chosen, written, and taken back. */
export function IntakePage() {
  const { id = "" } = useParams();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const path = { params: { path: { intake_id: id } } };
  const query = useQuery({ queryKey: ["intake", id], queryFn: () => unwrap(client.GET("/api/v1/intakes/{intake_id}/", path)) });
  const [left, setLeft] = useState<Set<number>>(new Set());
  const after = (now: Intake) => {
    queries.setQueryData(["intake", id], now);
    void queries.invalidateQueries({ predicate: (q) => q.queryKey[0] !== "intake" });
  };
  const write = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/intakes/{intake_id}/write/", { ...path, body: { leave: [...left] } })), onSuccess: after });
  const undo = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/intakes/{intake_id}/undo/", path)), onSuccess: after });
  const discard = useMutation({
    mutationFn: async () => {
      await client.DELETE("/api/v1/intakes/{intake_id}/", path);
    },
    onSuccess: () => void navigate("/plant/imports"),
  });
  if (query.isPending) return <Loading what="the file" />;
  if (query.isError) return <Failure error={query.error} />;
  const d = query.data;
  const open = d.rows.filter((r) => ["new", "changed"].includes(r.fate) && !left.has(r.number)).length;
  const failed = write.error ?? undo.error ?? discard.error;
  return (
    <div className="mx-auto max-w-6xl space-y-4 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-4">
        <h1 className="mr-auto text-2xl font-bold">
          {d.name} {STATUS[d.status] ?? d.status}
          <span className="block text-base font-normal text-muted">{d.title}</span>
        </h1>
        <LinkButton to="/plant/imports">All imports</LinkButton>
        {d.may_write && d.status === "ready" && <Button onClick={() => discard.mutate()}>Throw it away</Button>}
        {d.may_write && d.status === "ready" && (
          <Button kind="primary" large disabled={open < 1 || write.isPending} onClick={() => write.mutate()}>
            Write {open} {open === 1 ? "row" : "rows"}
          </Button>
        )}
        {d.may_write && d.status === "written" && (
          <Button disabled={undo.isPending} onClick={() => undo.mutate()}>
            Take it back
          </Button>
        )}
      </div>
      {d.says && <Message>{d.says}</Message>}
      {failed && <Failure error={failed} />}
      <ul className="border-t-2 border-slate bg-page" aria-label="Rows">
        {d.rows.map((r) => (
          <RowLine
            key={r.number}
            row={r}
            can={d.status === "ready" && ["new", "changed"].includes(r.fate)}
            chosen={!left.has(r.number)}
            onChoose={(on) => {
              const next = new Set(left);
              if (on) next.delete(r.number);
              else next.add(r.number);
              setLeft(next);
            }}
          />
        ))}
      </ul>
    </div>
  );
}

function RowLine({ row: r, can, chosen, onChoose }: { row: Row; can: boolean; chosen: boolean; onChoose: (on: boolean) => void }) {
  return (
    <FateLine number={r.number} fate={r.fate} name={r.key || "nothing to tell it by"} can={can} chosen={chosen} onChoose={onChoose}>
        {r.note && <p>{r.note}</p>}
        {r.changes.map((c) => (
          <p key={c.column} className="break-words">
            {c.column}: <span className="text-muted line-through">{c.old || "empty"}</span> → <strong>{c.new || "empty"}</strong>
          </p>
        ))}
        {r.fate === "new" && (
          <p>
            {r.cells
              .filter((c) => c.text)
              .map((c) => `${c.column}: ${c.text}`)
              .join(", ")}
          </p>
        )}
        {r.understood.length > 0 && <p className="text-sm text-muted">Taken as: {r.understood.map((c) => `${c.column} ${c.text || "empty"}`).join(", ")}</p>}
        {r.faults.map((f) => (
          <p key={f.column + f.text} className="text-iron">
            {f.column}: {f.text}
          </p>
        ))}
    </FateLine>
  );
}
