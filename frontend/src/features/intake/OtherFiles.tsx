import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { client, unwrap } from "../../api/client";
import { LinkButton } from "../../ui/Button";
import { ChoiceField } from "../../ui/fields";
import { FileButton, form } from "../../ui/Files";
import { moment } from "../../ui/format";
import { Failure } from "../../ui/Message";

/** Files of areas, kit and people: chosen, previewed on their own page; those of before are listed. */
export function OtherFiles() {
  const navigate = useNavigate();
  const registers = useQuery({ queryKey: ["registers"], queryFn: () => unwrap(client.GET("/api/v1/intakes/registers/")) }).data ?? [];
  const past = useQuery({ queryKey: ["intakes"], queryFn: () => unwrap(client.GET("/api/v1/intakes/")) }).data ?? [];
  const [kind, setKind] = useState("");
  const send = useMutation({
    mutationFn: (file: File) => unwrap(client.POST("/api/v1/intakes/", form({ kind, file }))),
    onSuccess: (made) => void navigate(`/intakes/${made.id}`),
  });
  const able = registers.filter((r) => r.may_write);
  const chosen = registers.find((r) => r.kind === kind);
  if (!able.length && !past.length) return null;
  return (
    <section aria-label="Areas, kit and people" className="space-y-3">
      <h2 className="border-b-2 border-slate text-lg font-bold">Areas, kit and people</h2>
      {able.length > 0 && (
        <div className="flex flex-wrap items-end gap-3">
          <div className="w-72">
            <ChoiceField label="What the file holds" value={kind} onChange={setKind} options={able.map((r) => ({ value: r.kind, label: r.title }))} />
          </div>
          {chosen && <FileButton label={send.isPending ? "Sending…" : "Choose the file"} name={`File of ${chosen.title}`} onFile={(file) => send.mutate(file)} disabled={send.isPending} />}
          {chosen && <LinkButton href={`/api/v1/intakes/template/?kind=${kind}`}>What is there, as a table to fill in</LinkButton>}
        </div>
      )}
      {chosen && <p className="text-sm text-muted">Columns: {chosen.columns}. Nothing is written before you have seen each row’s fate.</p>}
      {send.isError && <Failure error={send.error} />}
      {past.length > 0 && (
        <ul className="border-t border-rule bg-page">
          {past.map((b) => (
            <li key={b.id} className="flex flex-wrap items-center gap-x-5 border-b border-rule px-3 py-1">
              <LinkButton to={`/intakes/${b.id}`}>{b.name}</LinkButton>
              <span className="flex-1">
                {moment(b.at)}, {b.by}: {b.title}, {b.status}
              </span>
              <span className="text-muted">{b.total} rows</span>
            </li>
          ))}
        </ul>
      )}
    </section>
  );
}
