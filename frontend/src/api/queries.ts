import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { client, unwrap } from "./client";

export const sessionQuery = { queryKey: ["session"], queryFn: () => unwrap(client.GET("/api/v1/session/")) };

export const evidenceQuery = { queryKey: ["evidence"], queryFn: () => unwrap(client.GET("/api/v1/evidence/")) };

export function useToday() {
  return useQuery({ queryKey: ["today"], queryFn: () => unwrap(client.GET("/api/v1/today/")), refetchInterval: 60_000 });
}

export function useHolds() {
  return useQuery({ queryKey: ["holds"], queryFn: () => unwrap(client.GET("/api/v1/holds/")), refetchInterval: 20_000 });
}

export function useDuties(tag = "") {
  return useQuery({
    queryKey: ["duties", tag],
    queryFn: () => unwrap(client.GET("/api/v1/duties/", { params: { query: { tag } } })),
    refetchInterval: 30_000,
  });
}

export function useInstruments(query: { search: string; area: string; family: string; page: number }) {
  return useQuery({
    queryKey: ["instruments", query],
    queryFn: () => unwrap(client.GET("/api/v1/instruments/", { params: { query } })),
    placeholderData: keepPreviousData,
  });
}

export function useInstrument(tag: string) {
  return useQuery({
    queryKey: ["instrument", tag],
    queryFn: () => unwrap(client.GET("/api/v1/instruments/{tag}/", { params: { path: { tag } } })),
  });
}

export function useReferences() {
  return useQuery({ queryKey: ["references"], queryFn: () => unwrap(client.GET("/api/v1/references/")) });
}

export function useRecords(query: { search: string; status: string; verdict: string; page: number }) {
  return useQuery({
    queryKey: ["records", query],
    queryFn: () => unwrap(client.GET("/api/v1/records/", { params: { query } })),
    placeholderData: keepPreviousData,
  });
}

export function useLog(run_id: string) {
  return useQuery({
    queryKey: ["log", run_id],
    queryFn: () => unwrap(client.GET("/api/v1/runs/{run_id}/log/", { params: { path: { run_id } } })),
  });
}

/** Signals that measure what a unit does; with a quantity only those that may stand for it, the likeliest first. */
export function useSignals(unit: string, tag: string, enabled: boolean, quantity = "", channel = "") {
  return useQuery({
    queryKey: ["signals", unit, tag, quantity, channel],
    queryFn: () => unwrap(client.GET("/api/v1/signals/", { params: { query: { unit, tag, quantity, channel } } })),
    enabled,
    staleTime: 60_000,
  });
}

export function useModems(tag: string) {
  return useQuery({ queryKey: ["modems", tag], queryFn: () => unwrap(client.GET("/api/v1/modems/", { params: { query: { tag } } })), staleTime: 60_000 });
}

/** The capture that goes on, or last went on, by itself: of one run when one is named. */
export function useAutoCaptures(run: string, enabled = true) {
  return useQuery({
    enabled,
    queryKey: ["auto-captures", run],
    queryFn: () => unwrap(client.GET("/api/v1/auto-captures/", { params: { query: run ? { run } : {} } })),
    refetchInterval: 1_500,
  });
}

export function useCandidates() {
  return useQuery({ queryKey: ["batch-candidates"], queryFn: () => unwrap(client.GET("/api/v1/auto-captures/candidates/")), refetchInterval: 5_000 });
}

export function useColleagues() {
  return useQuery({ queryKey: ["colleagues"], queryFn: () => unwrap(client.GET("/api/v1/colleagues/")), staleTime: 300_000 });
}

export function useReleaseFields(hold_id: string) {
  return useQuery({ queryKey: ["release", hold_id], queryFn: () => unwrap(client.GET("/api/v1/holds/{hold_id}/", { params: { path: { hold_id } } })) });
}

export function useGas() {
  return useQuery({ queryKey: ["gas"], queryFn: () => unwrap(client.GET("/api/v1/gas/")) });
}

/** The bottles judged for a role of a run; asked again when the run has moved on. */
export function useGasOptions(run_id: string, role: string, seq: number) {
  return useQuery({
    queryKey: ["gas-options", run_id, role, seq],
    queryFn: () => unwrap(client.GET("/api/v1/runs/{run_id}/gas/{role}/", { params: { path: { run_id, role } } })),
    placeholderData: keepPreviousData,
  });
}

/** What the kit offers for a role of a run, judged; asked again when the run has moved on. */
export function useOffers(run_id: string, role: string, seq: number) {
  return useQuery({
    queryKey: ["offers", run_id, role, seq],
    queryFn: () => unwrap(client.GET("/api/v1/runs/{run_id}/offers/{role}/", { params: { path: { run_id, role } } })),
    placeholderData: keepPreviousData,
  });
}

/** What there is for each of several roles. */
export function useAllOffers(run_id: string, roles: string[], seq: number) {
  return useQueries({
    queries: roles.map((role) => ({
      queryKey: ["offers", run_id, role, seq],
      queryFn: () => unwrap(client.GET("/api/v1/runs/{run_id}/offers/{role}/", { params: { path: { run_id, role } } })),
    })),
    combine: (answers) => ({
      isPending: answers.some((a) => a.isPending),
      offers: Object.fromEntries(answers.map((a, n) => [roles[n] ?? "", a.data ?? []])),
    }),
  });
}

/** What is followed from run to run of an instrument. */
export function useTrends(tag: string) {
  return useQuery({ queryKey: ["trends", tag], queryFn: () => unwrap(client.GET("/api/v1/instruments/{tag}/trends/", { params: { path: { tag } } })) });
}

export function useSensorLife(tag: string) {
  return useQuery({
    queryKey: ["sensor-life", tag],
    queryFn: () => unwrap(client.GET("/api/v1/instruments/{tag}/sensor-life/", { params: { path: { tag } } })),
  });
}
