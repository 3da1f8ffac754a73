import { useMutation } from "@tanstack/react-query";
import { client, unwrap, type Run } from "../../api/client";
import { useSignals } from "../../api/queries";
import { Button } from "../../ui/Button";
import { Failure } from "../../ui/Message";
import { inTurn, useTakeRun } from "../run/useRun";

/** The keys of an instrument that is on the bench, and what it answered to the last one. Elsewhere there is nothing to show. */
export function Keys({ run, only }: { run: Run; only: string[] }) {
  const { take, notice } = useTakeRun(run.id);
  const signals = useSignals("key", run.view.instrument.tag, only.length > 0);
  const there = (signals.data ?? []).filter((s) => s.role === "key" && s.is_wired);
  const keys = only.flatMap((name) => there.filter((s) => s.id.endsWith(`.${name}`)));
  const press = useMutation({
    scope: inTurn(run), // after what is on its way to the run, such as its sources
    mutationFn: (signal: string) => unwrap(client.POST("/api/v1/runs/{run_id}/key/", { params: { path: { run_id: run.id } }, body: { signal } })),
    onSuccess: take,
    onError: notice,
  });
  if (!keys.length) return null;
  const last = run.view.acts.at(-1);
  return (
    <section aria-label="Keys of the instrument" className="space-y-2">
      <div className="flex flex-wrap items-center gap-2">
        {keys.map((k) => (
          <Button key={k.id} onClick={() => press.mutate(k.id)} disabled={press.isPending}>
            {k.label}
          </Button>
        ))}
        {last && <span role="status">{last.words}</span>}
      </div>
      {press.isError && <Failure error={press.error} />}
    </section>
  );
}
