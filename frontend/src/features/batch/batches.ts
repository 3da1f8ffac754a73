import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, unwrap, type Schemas } from "../../api/client";

export type Batch = Schemas["SensorBatch"];
export type BatchSensor = Batch["sensors"][number];
export type Proposal = Schemas["BatchProposal"];
export type Texts = Record<string, string>;

export function useSensors() {
  return useQuery({ queryKey: ["batch-sensors"], queryFn: () => unwrap(client.GET("/api/v1/batches/sensors/")) });
}

export function useBatches() {
  return useQuery({ queryKey: ["batches"], queryFn: () => unwrap(client.GET("/api/v1/batches/")) });
}

/** What a batch of these would be; what was proposed before stays in sight meanwhile. */
export function useProposal(tags: string[], blocks: Texts) {
  return useQuery({
    queryKey: ["batch-proposal", tags, blocks],
    queryFn: () => unwrap(client.POST("/api/v1/batches/proposal/", { body: { tags, blocks } })),
    enabled: tags.length > 0,
    placeholderData: (before) => before,
  });
}

export function useBatch(id: string) {
  return useQuery({
    queryKey: ["batch", id],
    queryFn: () => unwrap(client.GET("/api/v1/batches/{batch_id}/", { params: { path: { batch_id: id } } })),
    refetchInterval: (query) => (query.state.data?.auto?.status === "running" ? 2_000 : 15_000),
  });
}

type Act = { do: "on"; said: Texts } | { do: "back"; said: Record<string, Texts> } | { do: "drop"; tag: string } | { do: "stop"; auto: string };

async function send(id: string, act: Act): Promise<Batch> {
  const params = { path: { batch_id: id } };
  switch (act.do) {
    case "on":
      return unwrap(client.POST("/api/v1/batches/{batch_id}/on/", { params, body: { said: act.said } }));
    case "back":
      return unwrap(client.POST("/api/v1/batches/{batch_id}/back/", { params, body: { said: act.said } }));
    case "drop":
      return unwrap(client.POST("/api/v1/batches/{batch_id}/drop/", { params, body: { tag: act.tag } }));
    case "stop":
      await unwrap(client.POST("/api/v1/auto-captures/{auto_id}/stop/", { params: { path: { auto_id: act.auto } } }));
      return unwrap(client.GET("/api/v1/batches/{batch_id}/", { params }));
  }
}

/** What is said of a batch, one after the other; refused, it is fetched anew, since some of it may have gone. */
export function useAct(id: string) {
  const queries = useQueryClient();
  return useMutation({
    scope: { id: `batch ${id}` },
    mutationFn: (act: Act) => send(id, act),
    onSuccess: (next) => queries.setQueryData(["batch", id], next),
    onError: () => void queries.invalidateQueries({ queryKey: ["batch", id] }),
    onSettled: () => {
      for (const key of ["holds", "today", "run"]) void queries.invalidateQueries({ queryKey: [key] });
    },
  });
}
