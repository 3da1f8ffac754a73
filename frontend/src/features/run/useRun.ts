import { useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { useRef } from "react";
import { isSentAgain, isTrouble, waitOf } from "../../api/again";
import { ApiFailure, client, unwrap, type Run, type RunView, type Schemas } from "../../api/client";

type Asked = Schemas["EventRequest"];
/** An event before it is sent: of a kind that may be asked for, with what that kind carries. It may have its id already. */
export type NewEvent = Asked extends infer E ? (E extends Asked ? Pick<E, "type" | "payload"> & { id?: string } : never) : never;

/**
 * Whether it is not known yet if what was sent last is stored: on its way, or its answer never came. Until it is, the run is not fetched anew: the page
 * would go on to the next reading with the number of the last one still in its field.
 */
export function isUncertain(queries: QueryClient, id: string): boolean {
  const last = queries.getMutationCache().findAll({ mutationKey: ["append", id] }).at(-1)?.state;
  return last?.status === "pending" || (last?.status === "error" && last.error instanceof ApiFailure && last.error.code === "no_connection");
}

/** What was asked before the last press may be answered after it: of two answers the newer counts, in whichever order they come. */
export function newer(held: Run | undefined, told: Run): Run {
  return held && held.view.seq > told.view.seq ? held : told;
}

export function useRun(id: string) {
  const queries = useQueryClient();
  return useQuery({
    queryKey: ["run", id],
    queryFn: async () => {
      const told = await unwrap(client.GET("/api/v1/runs/{run_id}/", { params: { path: { run_id: id } } }));
      return newer(queries.getQueryData<Run>(["run", id]), told);
    },
    refetchInterval: () => (isUncertain(queries, id) ? false : 10_000),
    staleTime: 0,
  });
}

function newId(): string {
  if (crypto.randomUUID) return crypto.randomUUID();
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = ((bytes[6] ?? 0) & 0x0f) | 0x40;
  bytes[8] = ((bytes[8] ?? 0) & 0x3f) | 0x80;
  const hex = [...bytes].map((b) => b.toString(16).padStart(2, "0")).join("");
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-${hex.slice(12, 16)}-${hex.slice(16, 20)}-${hex.slice(20)}`;
}

/** What another wrote meanwhile must be on screen before one enters again. */
function isStale(error: unknown): boolean {
  return error instanceof ApiFailure && error.code === "stale";
}

/** What others did to a run while this page was behind; it outlives the step that ran into it. */
export function useMeanwhile(id: string) {
  return useQuery<string>({ queryKey: ["meanwhile", id], queryFn: () => "", enabled: false, initialData: "", staleTime: Infinity }).data;
}

type HoldRow = Schemas["HoldRow"];

/** What only the server tells of a hold; a new one is told with the next answer. */
function toldBefore(old: HoldRow | undefined) {
  return { note: old?.note ?? "", approval: old?.approval ?? "", offered_to: old?.offered_to ?? "", offered_name: old?.offered_name ?? "", is_own: old?.is_own ?? false, voting_group: old?.voting_group ?? "", zone: old?.zone ?? "", is_due_soon: old?.is_due_soon ?? false, risk: old?.risk ?? "", still: old?.still ?? [] };
}

/** The strip's holds with those of this run as it now is. */
export function withHoldsOf(run: Run, holds: HoldRow[]): HoldRow[] {
  const { tag, area, feeds } = run.view.instrument;
  const mine = run.view.holds
    .filter((h) => !h.released_at)
    .map((h) => ({
      run: run.id, run_number: run.number, tag, area, feeds, kind: h.kind, reason: h.reason, placed_by: h.placed_by,
      placed_at: h.placed_at ?? "", until: h.until ?? "", is_overdue: h.is_overdue,
      id: h.id, holder: h.holder, holder_name: h.holder_name, agreement: h.agreement, extended: h.extended, run_status: run.view.status, at_step: run.view.step?.title ?? "",
      ...toldBefore(holds.find((old) => old.id === h.id)),
    }));
  return [...holds.filter((h) => h.run !== run.id), ...mine].sort((a, b) => a.until.localeCompare(b.until));
}

/** A run after an append: what changed, on top of the view that it was sent from. */
export function whole(held: Run, { changed, view, ...about }: Schemas["Appended"]): Run {
  return { ...about, view: view ?? { ...held.view, ...(changed as Partial<RunView>) } };
}

/** Puts the newest answer into the cache, and lets everything that lists runs know. */
export function useTakeRun(id: string) {
  const queries = useQueryClient();
  const tell = (words: string) => queries.setQueryData<string>(["meanwhile", id], words);
  const refresh = () => void queries.invalidateQueries({ queryKey: ["run", id] });
  return {
    take: (run: Run) => {
      tell("");
      // In the same moment as the step changes, so that the strip does not push the page down under a finger.
      queries.setQueryData<HoldRow[]>(["holds"], (old) => (old ? withHoldsOf(run, old) : old));
      queries.setQueryData<Run>(["run", id], (old) => newer(old, run));
      for (const key of ["holds", "today", "log", "records", "duties", "validity"]) void queries.invalidateQueries({ queryKey: [key] });
    },
    refresh,
    dismiss: () => tell(""),
    /** For a refused write: when the run has moved on, say so and fetch it. */
    notice: (error: unknown) => {
      if (!isStale(error)) return;
      tell((error as ApiFailure).message);
      refresh();
    },
  };
}

/** What is written to a run goes one after the other, whichever button it came from. */
export function inTurn(run: Run): { id: string } {
  return { id: `append ${run.id}` };
}

/** The run as it is on the screen now: a press that comes in the moment of a change must not speak of the run before it. */
export function useShown(run: Run): () => Run {
  const queries = useQueryClient();
  return () => queries.getQueryData<Run>(["run", run.id]) ?? run;
}

/** What an event of a kind carries. */
export type Carried<Kind extends NewEvent["type"]> = Extract<NewEvent, { type: Kind }>["payload"];

/** Once more by itself where no answer came, and once more after a while; what was stored all the same is known by its id. */
const AGAIN_MS = [400, 1600];

/**
 * Appends events. An event keeps its id until it is stored, so that sending again after a lost connection
 * stores it once. together: where one of several is refused, none is stored.
 */
export function useAppend(run: Run, { together = false } = {}) {
  const { take, refresh, notice } = useTakeRun(run.id);
  const shown = useShown(run);
  const pending = useRef<{ text: string; ids: string[] }>({ text: "", ids: [] });
  return useMutation({
    mutationKey: ["append", run.id],
    retry: (count, error) => isSentAgain(count, error) || (error instanceof ApiFailure && error.code === "no_connection" && count < AGAIN_MS.length),
    retryDelay: (count, error) => (isTrouble(error) ? waitOf(count) : (AGAIN_MS[count] ?? 0)),
    scope: inTurn(run), // a press while another is on its way waits for it, instead of being refused as late
    mutationFn: (events: NewEvent[]) => {
      const text = JSON.stringify(events);
      if (pending.current.text !== text) pending.current = { text, ids: events.map(newId) };
      const ids = pending.current.ids;
      const device_at = new Date().toISOString();
      const now = shown();
      const sent = events.map((e, i) => ({ ...e, id: e.id ?? ids[i] ?? newId(), device_at }));
      return unwrap(
        client.POST("/api/v1/runs/{run_id}/events/", {
          params: { path: { run_id: run.id } },
          body: { expected_seq: now.view.seq, events: sent, parts: true, together },
        }),
      ).then((answer) => whole(now, answer));
    },
    onSuccess: (next) => {
      pending.current = { text: "", ids: [] };
      take(next);
    },
    onError: (error) => {
      notice(error);
      if (error instanceof ApiFailure && ["not_current", "wrong_slot", "set_complete"].includes(error.code)) refresh();
    },
  });
}

export { newId };
