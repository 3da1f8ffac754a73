import { useMutation, useQuery } from "@tanstack/react-query";
import { client, unwrap, type Run, type Schemas, type Step } from "../../../api/client";
import { readJson } from "../../../ui/ChooseJson";
import { inTurn, useTakeRun } from "../useRun";

export type ToldNow = Schemas["Indicator"];

/** An instrument on the bench that tells the fields of a step itself: what it tells now, read for the record, told and read back. */
export function useIndicator(run: Run, step: Step) {
  const { take, notice } = useTakeRun(run.id);
  const path = { path: { run_id: run.id } };
  const now = useQuery({
    queryKey: ["indicator", run.id, step.key],
    queryFn: () => unwrap(client.GET("/api/v1/runs/{run_id}/indicator/", { params: path })),
    enabled: step.readouts.length > 0,
    refetchInterval: (query) => (query.state.data?.device ? 1_500 : false),
  });
  const scope = inTurn(run);
  const read = useMutation({
    scope,
    mutationFn: (readout: string) => unwrap(client.POST("/api/v1/runs/{run_id}/indicator/read/", { params: path, body: { readout } })),
    onSuccess: take,
    onError: notice,
  });
  const send = useMutation({
    scope,
    mutationFn: () => unwrap(client.POST("/api/v1/runs/{run_id}/indicator/send/", { params: path })),
    onSuccess: take,
    onError: notice,
  });
  const load = useMutation({
    scope,
    mutationFn: async (file: File) =>
      unwrap(client.POST("/api/v1/runs/{run_id}/indicator/parameters.json", { params: path, body: { document: await readJson(file) } })),
    onSuccess: take,
    onError: notice,
  });
  return { now: now.data, read, send, load, busy: read.isPending || send.isPending || load.isPending, error: send.error ?? read.error ?? load.error ?? null };
}

export type Indicator = ReturnType<typeof useIndicator>;
