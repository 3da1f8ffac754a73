import { useMutation } from "@tanstack/react-query";
import { ApiFailure, client, unwrap, type Run, type Step } from "../../api/client";
import { form } from "../../ui/Files";
import { useDraftForm } from "../../ui/useDraft";
import { inTurn, useShown, useTakeRun } from "./useRun";

/** The entry of one injection by its chromatogram: what is typed beside it, the moment it went in, and the curve from a file or from the detector. */
export function useChromatogram(run: Run, step: Step) {
  const { take, notice } = useTakeRun(run.id);
  const shown = useShown(run);
  const injection = step.readings?.chromatogram?.injection ?? "";
  const [typed, set, clear] = useDraftForm(`${run.id}/${step.key}/injection ${injection}`);
  const done = {
    onSuccess: (got: Run) => {
      clear();
      take(got);
    },
    onError: notice,
  };
  const path = { run_id: run.id };
  const injected = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/runs/{run_id}/gas-on/", { params: { path } })) });
  const fromFile = useMutation({
    scope: inTurn(run),
    mutationFn: (sent: File) =>
      unwrap(
        client.POST("/api/v1/runs/{run_id}/chromatogram/", {
          params: { path },
          ...form({ file: sent, typed: JSON.stringify(typed), expected_seq: String(shown().view.seq) }),
        }),
      ),
    ...done,
  });
  const fromDetector = useMutation({
    scope: inTurn(run),
    mutationFn: () => unwrap(client.POST("/api/v1/runs/{run_id}/chromatogram/live/", { params: { path }, body: { typed, expected_seq: shown().view.seq } })),
    ...done,
  });
  const failed = fromFile.error ?? fromDetector.error ?? injected.error;
  return {
    typed,
    set,
    injected,
    fromFile,
    fromDetector,
    failed,
    errors: failed instanceof ApiFailure ? failed.byField : {},
    busy: fromFile.isPending || fromDetector.isPending,
  };
}

export type ChromatogramEntryState = ReturnType<typeof useChromatogram>;
