import { useMutation } from "@tanstack/react-query";
import { useNavigate } from "react-router";
import { client, unwrap } from "../../api/client";

/** Starts a run, of an instrument or of an item of the kit, and goes there. */
export function useStart() {
  const navigate = useNavigate();
  return useMutation({
    mutationFn: (what: string | { tag?: string; item?: string; method?: string; points?: string; cycles?: string; supervisor?: string }) =>
      unwrap(client.POST("/api/v1/runs/", { body: { tag: "", item: "", method: "", points: "", cycles: "", supervisor: "", ...(typeof what === "string" ? { tag: what } : what) } })),
    onSuccess: (run) => void navigate(`/run/${run.id}`),
  });
}
