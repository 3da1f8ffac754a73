import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, unwrap, type Schemas } from "../../api/client";

export type CheckRound = Schemas["CheckRound"];
export type Tap = Schemas["Tap"];
export type CheckJob = CheckRound["jobs"][number];

export function useChecksDue(area: string) {
  return useQuery({ queryKey: ["checks-due", area], queryFn: () => unwrap(client.GET("/api/v1/checks/due/", { params: { query: { area } } })) });
}

export function useCheckRounds() {
  return useQuery({ queryKey: ["check-rounds"], queryFn: () => unwrap(client.GET("/api/v1/checks/")) });
}

export function useCheckRound(id: string) {
  return useQuery({
    queryKey: ["check", id],
    queryFn: () => unwrap(client.GET("/api/v1/checks/{round_id}/", { params: { path: { round_id: id } } })),
    refetchInterval: 15_000,
  });
}

/** What the next tap says of a detector; asked anew when it stands elsewhere. */
export function useTap(round: CheckRound, job: CheckJob) {
  return useQuery({
    queryKey: ["check-tap", round.id, job.tag, job.state, job.at_step],
    queryFn: () => unwrap(client.GET("/api/v1/checks/{round_id}/tap/", { params: { path: { round_id: round.id }, query: { tag: job.tag } } })),
  });
}

type Act =
  | { do: "begin"; tag: string; step_by_step?: boolean; said?: Record<string, string> }
  | { do: "read"; tag: string; event_id: string; indicated: string; is_sure: boolean }
  | { do: "on" | "back"; tag: string; said: Record<string, string> }
  | { do: "again"; tag: string; reason: string }
  | { do: "aside"; tag: string; reason: string };

function send(id: string, act: Act): Promise<CheckRound> {
  const params = { path: { round_id: id } };
  switch (act.do) {
    case "begin":
      return unwrap(client.POST("/api/v1/checks/{round_id}/begin/", { params, body: { tag: act.tag, step_by_step: act.step_by_step ?? false, said: act.said ?? {} } }));
    case "read":
      return unwrap(client.POST("/api/v1/checks/{round_id}/read/", { params, body: { tag: act.tag, event_id: act.event_id, indicated: act.indicated, is_sure: act.is_sure } }));
    case "on":
      return unwrap(client.POST("/api/v1/checks/{round_id}/on/", { params, body: { tag: act.tag, said: act.said } }));
    case "back":
      return unwrap(client.POST("/api/v1/checks/{round_id}/back/", { params, body: { tag: act.tag, said: act.said } }));
    case "again":
      return unwrap(client.POST("/api/v1/checks/{round_id}/again/", { params, body: { tag: act.tag, reason: act.reason } }));
    case "aside":
      return unwrap(client.POST("/api/v1/checks/{round_id}/aside/", { params, body: { tag: act.tag, reason: act.reason } }));
  }
}

/** What is said of one detector of a round; one after the other, whichever button it came from. */
export function useAct(round: CheckRound) {
  const queries = useQueryClient();
  const stored = (next: CheckRound) => {
    queries.setQueryData(["check", round.id], next);
    for (const job of next.jobs) if (job.run && job.state !== "signed") void queries.invalidateQueries({ queryKey: ["run", job.run] });
    for (const key of ["holds", "today"]) void queries.invalidateQueries({ queryKey: [key] });
  };
  return useMutation({
    scope: { id: `check ${round.id}` },
    mutationFn: (act: Act) => send(round.id, act),
    onSuccess: stored,
    onError: () => void queries.invalidateQueries({ queryKey: ["check", round.id] }),
  });
}
