import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import { client, unwrap } from "../../api/client";
import { useAutoCaptures, useCandidates } from "../../api/queries";
import { useMay } from "../../app/session";
import { Button } from "../../ui/Button";
import { CheckLine } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { Going, PlanView } from "./Going";

/** Runs begun one by one, which stand at readings that can be taken together. inBatches: tags that are in a batch already. */
export function OneByOne({ inBatches }: { inBatches: string[] }) {
  const candidates = useCandidates();
  const captures = useAutoCaptures("");
  const queries = useQueryClient();
  const mayWork = useMay("work on a run");
  const [chosen, setChosen] = useState<string[]>([]);
  const refresh = () => void queries.invalidateQueries({ queryKey: ["auto-captures"] });
  const plan = useMutation({ mutationFn: (runs: string[]) => unwrap(client.POST("/api/v1/auto-captures/plan/", { body: { runs } })) });
  const start = useMutation({
    mutationFn: (runs: string[]) => unwrap(client.POST("/api/v1/auto-captures/", { body: { runs } })),
    onSuccess: () => setChosen([]),
    onSettled: refresh,
  });
  const stop = useMutation({
    mutationFn: (auto_id: string) => unwrap(client.POST("/api/v1/auto-captures/{auto_id}/stop/", { params: { path: { auto_id } } })),
    onSettled: refresh,
  });
  if (candidates.isPending) return null;
  if (candidates.isError) return <Failure error={candidates.error} retry={() => void candidates.refetch()} />;
  const rows = candidates.data.filter((c) => !inBatches.includes(c.tag));
  const choose = (id: string, on: boolean) => {
    const next = on ? [...chosen, id] : chosen.filter((c) => c !== id);
    setChosen(next);
    start.reset();
    if (next.length) plan.mutate(next);
    else plan.reset();
  };
  // One of which every run has ended is history, and told by their records.
  const open = rows.map((c) => c.id);
  const auto = captures.data?.find((a) => (a.runs.length > 1 || a.status === "running") && a.runs.some((r) => open.includes(r.id)));
  if (!auto && !rows.length) return null;
  return (
    <section className="space-y-6" aria-label="Begun one by one">
      <h2 className="border-b-2 border-slate pb-1 text-lg font-bold">Begun one by one</h2>
      {auto && <Going auto={auto} onStop={() => stop.mutate(auto.id)} stopping={stop.isPending} />}
      {rows.length > 0 && (
        <div role="group" aria-label="Runs at their readings">
          {rows.map((c) =>
            c.why_not ? (
              <p key={c.id} className="flex min-h-13 flex-wrap items-center gap-x-4 border-b border-rule py-2">
                <Link to={`/run/${c.id}`} className="inline-flex min-h-12 items-center font-bold text-water underline">
                  {c.tag}
                </Link>
                <span>{c.service}</span>
                <span className="w-full text-sm text-muted">{c.why_not}</span>
              </p>
            ) : (
              <CheckLine
                key={c.id}
                label={`${c.tag}, ${c.service} (${c.block})`}
                checked={chosen.includes(c.id)}
                onChange={(on) => choose(c.id, on)}
              />
            ),
          )}
        </div>
      )}
      {plan.isError && <Failure error={plan.error} />}
      {start.isError && <Failure error={start.error} />}
      {chosen.length > 0 && plan.data && <PlanView plan={plan.data} />}
      {mayWork && chosen.length > 0 && (
        <div className="flex justify-end">
          <Button kind="primary" large onClick={() => start.mutate(chosen)} disabled={start.isPending || plan.isError}>
            Start the batch of {chosen.length}
          </Button>
        </div>
      )}
    </section>
  );
}
