import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Check, TriangleAlert } from "lucide-react";
import type { ReactNode } from "react";
import { client, unwrap, type Schemas } from "../../api/client";
import { evidenceQuery } from "../../api/queries";
import { useMay } from "../../app/session";
import { Button, LinkButton } from "../../ui/Button";
import { moment } from "../../ui/format";
import { Failure, Loading, Message } from "../../ui/Message";
import { Journal } from "./Journal";

type Evidence = Schemas["Evidence"];

/** How the evidence stands; asked again while the journal is being looked through. */
function useEvidence() {
  return useQuery({
    ...evidenceQuery,
    refetchInterval: (q) => (q.state.data?.looked && !q.state.data.looked.ended_at ? 1_000 : false),
  });
}

function Row({ title, isGood, children, act }: { title: string; isGood: boolean; children: ReactNode; act?: ReactNode }) {
  const Icon = isGood ? Check : TriangleAlert;
  return (
    <section aria-label={title} className="flex flex-wrap items-center gap-x-4 gap-y-1 border-b border-rule px-3 py-2">
      <Icon size={20} aria-hidden="true" className={isGood ? "text-kelp" : "text-amber"} />
      <h2 className="w-32 font-bold">{title}</h2>
      <div className="min-w-72 flex-1">{children}</div>
      {act}
    </section>
  );
}

function looked(e: Evidence): string {
  const l = e.looked;
  if (!l) return "It was not looked through yet.";
  if (!l.ended_at) return `Being looked through: ${l.done} of ${l.total} entries.`;
  const found = e.findings.length;
  return `Looked through on ${moment(l.ended_at)}, ${l.total} entries: ${found ? `${found} ${found === 1 ? "thing does" : "things do"} not hold.` : "all of it holds."}`;
}

/** Whether what is kept here could be shown to an assessor tomorrow, and would be there if the server burnt; and who changed what. */
export function EvidencePage() {
  const queries = useQueryClient();
  const found = useEvidence();
  const may = useMay("look after the evidence");
  const done = { onSuccess: (now: Evidence) => queries.setQueryData(evidenceQuery.queryKey, now) };
  const anchor = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/evidence/anchor/")), ...done });
  const backup = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/evidence/backup/")), ...done });
  const look = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/evidence/look-through/")), ...done });
  if (found.isPending) return <Loading what="the evidence" />;
  if (found.isError) return <Failure error={found.error} retry={() => void found.refetch()} />;
  const e = found.data;
  const isLooking = Boolean(e.looked && !e.looked.ended_at);
  const failed = anchor.error ?? backup.error ?? look.error;
  return (
    <div className="mx-auto max-w-7xl space-y-4 p-4 lg:p-6">
      <h1 className="text-2xl font-bold">Evidence</h1>
      {e.wrong.map((says) => (
        <Message key={says} tone="out">
          {says}
        </Message>
      ))}
      {failed && <Failure error={failed} />}
      <div className="border-t-2 border-slate bg-page">
        <Row title="Journal" isGood={!e.findings.length && Boolean(e.looked)} act={may && <Button onClick={() => look.mutate()} disabled={isLooking || look.isPending}>Look it through</Button>}>
          <p>
            {e.entries} entries{e.last_at && `, the last on ${moment(e.last_at)}`}. <span role="status">{looked(e)}</span>
          </p>
          {e.findings.slice(1).map((says) => (
            <p key={says} className="text-sm">
              {says}
            </p>
          ))}
        </Row>
        <Row title="Anchors" isGood={Boolean(e.anchor)} act={may && <Button onClick={() => anchor.mutate()} disabled={anchor.isPending}>Sign it now</Button>}>
          <p>
            {e.anchor ? `Signed last on ${moment(e.anchor.at)} at entry ${e.anchor.seq}.` : "Nothing was signed yet."} {e.anchor_folder ? `Written to ${e.anchor_folder} as well.` : "Written to no folder elsewhere: set ANCHOR_FOLDER."} {e.anchor_mail.length > 0 && `Sent each day to ${e.anchor_mail.join(", ")}.`}
          </p>
          <p className="text-sm break-all text-muted">Public key {e.key}</p>
        </Row>
        <Row title="Backups" isGood={Boolean(e.backup)} act={may && <Button onClick={() => backup.mutate()} disabled={backup.isPending}>{backup.isPending ? "Backing up…" : "Back up now"}</Button>}>
          <p>
            {e.backup ? `The last on ${moment(e.backup.at)}, ${(e.backup.size / 1e6).toFixed(1)} MB, ${e.backup.is_encrypted ? "encrypted" : "not encrypted"}, to entry ${e.backup.seq}; looked through, all of it holds.` : "There is none yet."}
          </p>
          <p className="text-sm break-all text-muted">In {e.backup_folder}</p>
        </Row>
        <Row title="Room" isGood={e.free_gb >= 2}>
          {e.free_gb} GB are free.
        </Row>
      </div>
      <div className="flex flex-wrap items-center gap-4">
        <p className="max-w-prose flex-1 text-muted">
          verify.py checks a record, an evidence package or a backup with nothing but Python and the public key. Print the key and keep it away from this server.
        </p>
        <LinkButton href="/api/v1/evidence/verify.py">verify.py</LinkButton>
      </div>
      <Journal />
    </div>
  );
}
