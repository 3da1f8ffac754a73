import { useMutation, useQueryClient } from "@tanstack/react-query";
import { client, unwrap, type Run } from "../../api/client";
import { inTurn, newId, useShown, useTakeRun } from "../run/useRun";

/** Captures the next reading from the live sources; what is typed beside goes along. */
export function useCapture(run: Run) {
  const { take, notice } = useTakeRun(run.id);
  const shown = useShown(run);
  return useMutation({
    mutationKey: ["append", run.id],
    scope: inTurn(run),
    mutationFn: (typed: Record<string, string>) =>
      unwrap(
        client.POST("/api/v1/runs/{run_id}/capture/", {
          params: { path: { run_id: run.id } },
          body: { id: newId(), expected_seq: shown().view.seq, typed },
        }),
      ),
    onSuccess: take,
    onError: notice,
  });
}

export function useAutoCapture(run: Run) {
  const queries = useQueryClient();
  const refresh = () => void queries.invalidateQueries({ queryKey: ["auto-captures"] });
  const start = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/auto-captures/", { body: { runs: [run.id] } })), onSettled: refresh });
  const stop = useMutation({
    mutationFn: (auto_id: string) => unwrap(client.POST("/api/v1/auto-captures/{auto_id}/stop/", { params: { path: { auto_id } } })),
    onSettled: refresh,
  });
  return { start, stop };
}
