import { useQuery, useQueryClient, useMutation } from "@tanstack/react-query";
import { client, unwrap, type Schemas } from "../../api/client";

export type WorkRound = Schemas["WorkRound"];
export type RoundJob = Schemas["RoundJob"];
export type JobChange = Schemas["JobChangeRequest"];

export function usePlans() {
  return useQuery({ queryKey: ["plans"], queryFn: () => unwrap(client.GET("/api/v1/plans/")) });
}

export function usePlan(id: string) {
  return useQuery({
    queryKey: ["plan", id],
    queryFn: () => unwrap(client.GET("/api/v1/plans/{round_id}/", { params: { path: { round_id: id } } })),
    refetchInterval: (q) => (q.state.data?.status === "solving" ? 700 : q.state.data?.status === "under way" ? 20_000 : false),
  });
}

/** What is done to a round; each answer is the whole round anew. */
export function usePlanActs(id: string) {
  const queries = useQueryClient();
  const path = { params: { path: { round_id: id } } };
  const onSuccess = (made: WorkRound) => {
    queries.setQueryData(["plan", id], made);
    void queries.invalidateQueries({ queryKey: ["plans"] });
  };
  return {
    solve: useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/plans/{round_id}/solve/", { ...path, body: {} })), onSuccess }),
    stop: useMutation({ mutationFn: () => unwrap(client.DELETE("/api/v1/plans/{round_id}/solve/", path)), onSuccess }),
    status: useMutation({ mutationFn: (status: string) => unwrap(client.POST("/api/v1/plans/{round_id}/", { ...path, body: { status } })), onSuccess }),
    exchange: useMutation({
      mutationFn: (body: Schemas["ExchangeRequest"]) => unwrap(client.POST("/api/v1/plans/{round_id}/kit/", { ...path, body })),
      onSuccess,
    }),
    change: useMutation({
      mutationFn: ({ tag, ...body }: { tag: string } & JobChange) =>
        unwrap(client.POST("/api/v1/plans/{round_id}/jobs/{tag}/", { params: { path: { round_id: id, tag } }, body })),
      onSuccess,
    }),
  };
}

export function hm(minutes: number): string {
  return `${String(Math.floor(minutes / 60)).padStart(2, "0")}:${String(minutes % 60).padStart(2, "0")}`;
}
