import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, unwrap, type Schemas } from "../../api/client";

export type FollowUp = Schemas["FollowUp"];
export type FollowUpRow = Schemas["FollowUpRow"];

export function useFollowUps(closed = false) {
  return useQuery({
    queryKey: ["follow-ups", closed],
    queryFn: () => unwrap(client.GET("/api/v1/follow-ups/", { params: { query: { closed } } })),
  });
}

export function useFollowUp(id: string) {
  const queries = useQueryClient();
  const params = { path: { follow_up_id: id } };
  const key = ["follow-up", id];
  const onSuccess = (made: FollowUp) => {
    queries.setQueryData(key, made);
    void queries.invalidateQueries({ queryKey: ["follow-ups"] });
  };
  return {
    query: useQuery({ queryKey: key, queryFn: () => unwrap(client.GET("/api/v1/follow-ups/{follow_up_id}/", { params })) }),
    answer: useMutation({
      mutationFn: (body: Schemas["FollowUpAnswerRequest"]) => unwrap(client.PUT("/api/v1/follow-ups/{follow_up_id}/", { params, body })),
      onSuccess,
      onError: () => void queries.invalidateQueries({ queryKey: key }), // what another wrote meanwhile is shown
    }),
    close: useMutation({
      mutationFn: (note: string) => unwrap(client.POST("/api/v1/follow-ups/{follow_up_id}/close/", { params, body: { note } })),
      onSuccess,
    }),
  };
}
