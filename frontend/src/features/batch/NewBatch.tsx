import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { ApiFailure, client, unwrap } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { Failure, Loading, Message } from "../../ui/Message";
import { TapSays } from "../../ui/TapSays";
import { useDraftForm } from "../../ui/useDraft";
import { newId } from "../run/useRun";
import { useProposal, type Proposal, type Texts } from "./batches";

const SERIAL = "serial:", BLOCK = "block:";

function named(typed: Texts, prefix: string, tags: string[]): Texts {
  return Object.fromEntries(tags.map((t) => [t, typed[prefix + t] ?? ""]).filter(([, v]) => v));
}

/** Each sensor with its well, the probe beside it and what reads it; its plate is read here. */
function Wells({ proposal, typed, set, errors }: { proposal: Proposal; typed: Texts; set: (name: string, value: string) => void; errors: Texts }) {
  return (
    <section aria-label="Wells">
      <h2 className="border-b-2 border-slate pb-1 text-lg font-bold">Wells</h2>
      {proposal.sensors.map((s) => (
        <div key={s.tag} className="grid items-start gap-x-6 gap-y-2 border-b border-rule py-3 md:grid-cols-[minmax(0,1fr)_220px_220px]">
          <div>
            <p className="text-lg font-bold">{s.tag}</p>
            {s.why_not ? (
              <p className="font-bold text-iron">{s.why_not}</p>
            ) : (
              <>
                <p>
                  {s.block_name}, well {s.well}
                </p>
                <p className="text-sm text-muted">
                  {s.probe_name}, {s.probe}; {s.readout}, {s.is_live ? "read by itself" : "typed in its run"}
                </p>
              </>
            )}
            {s.remarks.map((r) => (
              <p key={r} className="text-sm font-bold text-amber">
                {r}
              </p>
            ))}
          </div>
          <ChoiceField
            label="Block"
            value={typed[BLOCK + s.tag] ?? ""}
            options={[{ value: "", label: "as proposed" }, ...proposal.blocks]}
            onChange={(v) => set(BLOCK + s.tag, v)}
          />
          <TextField label="Serial on its plate" value={typed[SERIAL + s.tag] ?? ""} onChange={(v) => set(SERIAL + s.tag, v)} error={errors[SERIAL + s.tag]} />
        </div>
      ))}
    </section>
  );
}

/** What holds for all of them, said once, and what the start says. */
export function NewBatch({ tags }: { tags: string[] }) {
  const navigate = useNavigate();
  const queries = useQueryClient();
  const [typed, set, clear] = useDraftForm("batch/new");
  const [id] = useState(newId); // one batch, however often it is sent
  const proposal = useProposal(tags, named(typed, BLOCK, tags));
  const start = useMutation({
    mutationFn: ({ said }: { said: Texts; typed: Texts }) => unwrap(client.POST("/api/v1/batches/", { body: { id, tags, blocks: named(typed, BLOCK, tags), serials: named(typed, SERIAL, tags), said } })),
    onSuccess: (made) => {
      clear();
      queries.setQueryData(["batch", made.id], made);
      for (const key of ["batches", "batch-sensors", "today", "holds"]) void queries.invalidateQueries({ queryKey: [key] });
      void navigate(`/batch/${made.id}`);
    },
  });
  if (proposal.isPending) return <Loading what="a proposal" />;
  if (proposal.isError) return <Failure error={proposal.error} />;
  const p = proposal.data;
  // What was changed since is no longer refused.
  const sent = start.variables?.typed ?? {};
  const refused = start.error instanceof ApiFailure ? Object.entries(start.error.byField) : [];
  const errors = Object.fromEntries(refused.filter(([n]) => (sent[n] ?? "") === (typed[n] ?? "")));
  const said = Object.fromEntries([...p.asks.map((a) => a.name), "minutes"].map((n) => [n, typed[n] ?? ""]));
  const isRefused = p.sensors.some((s) => s.why_not);
  return (
    <form
      className="space-y-5"
      onSubmit={(e) => {
        e.preventDefault();
        if (!start.isPending) start.mutate({ said, typed });
      }}
    >
      <Wells proposal={p} typed={typed} set={set} errors={errors} />
      {isRefused ? (
        <Message tone="edge">Take out what can’t go with the others, or choose another block for it.</Message>
      ) : (
        <>
          <section aria-label="Said once">
            <h2 className="border-b-2 border-slate pb-1 text-lg font-bold">Said once for all</h2>
            <div className="grid items-start gap-4 pt-3 sm:grid-cols-2 lg:grid-cols-3">
              {p.asks.filter((a) => !a.only_for.length || a.only_for.includes(typed.hold_kind ?? "")).map((a) =>
                a.kind === "choice" ? (
                  <ChoiceField key={a.name} label={a.label} value={typed[a.name] ?? ""} options={a.options} onChange={(v) => set(a.name, v)} error={errors[a.name]} />
                ) : (
                  <TextField key={a.name} label={a.label} unit={a.unit} hint={a.hint} numeric={a.kind === "number"} value={typed[a.name] ?? ""} onChange={(v) => set(a.name, v)} error={errors[a.name]} />
                ),
              )}
              <TextField label="Each hold for" unit="min" numeric value={typed.minutes ?? ""} placeholder={String(p.minutes)} onChange={(v) => set("minutes", v)} error={errors.minutes} />
            </div>
          </section>
          <TapSays tap={p.tap} />
          {start.isError && (!refused.length || Object.keys(errors).length > 0) && <Failure error={start.error} />}
          <div className="sticky bottom-0 flex justify-end border-t-2 border-slate bg-salt py-3">
            <Button kind="primary" type="submit" large disabled={start.isPending || proposal.isPlaceholderData}>
              They stand in their wells: start {tags.length}
            </Button>
          </div>
        </>
      )}
    </form>
  );
}
