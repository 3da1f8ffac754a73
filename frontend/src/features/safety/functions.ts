import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { client, unwrap, type Schemas } from "../../api/client";

export type SafetyFunction = Schemas["Function"];
export type FunctionForm = Schemas["FunctionForm"];

export function useFunctions() {
  return useQuery({ queryKey: ["functions"], queryFn: () => unwrap(client.GET("/api/v1/functions/")) });
}

export function useFunction(code: string) {
  return useQuery({ queryKey: ["functions", code], queryFn: () => unwrap(client.GET("/api/v1/functions/{code}/", { params: { path: { code } } })) });
}

/** A change of a function, after which its page and whatever is due are fetched anew. */
export function useChange<T>(change: (what: T) => Promise<SafetyFunction>, onDone: (now: SafetyFunction) => void, onError?: (error: unknown) => void) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onError,
    onSuccess: (now) => {
      queries.setQueryData(["functions", now.code], now);
      for (const key of ["functions", "due", "today", "instrument"]) void queries.invalidateQueries({ queryKey: [key] });
      onDone(now);
    },
  });
}
