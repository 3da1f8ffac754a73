import { useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { isUncertain } from "../run/useRun";

export interface LiveRow {
  label: string;
  unit: string;
  t: number | null;
  v: number | null;
  text: string;
  status: string;
  says: string;
  mean: number | null;
  limit?: number;
  expected?: number;
  more?: [number, number][]; // of a fast signal, all of its latest samples
  response: string;
}

export interface Frame {
  now: number;
  seq: number;
  slot: number | null;
  since: number;
  is_marked?: boolean;
  interruptions?: { t: number; says: string }[];
  window_s: number;
  rows: Record<string, LiveRow>;
  exposure?: { kind: string; plateau: number; peak: number; t90_s: number | null; percent: number; is_step: boolean; remarks: string[] } | null;
  course?: string;
  purged_s?: number | null;
  purge_limit?: number | null;
}

export type Sample = [number, number];
export type Traces = Record<string, Sample[]>;

const KEEP_S = 120;

/** Adds the newest sample of each quantity to its trace, and lets go of what is older than two minutes. */
export function grow(traces: Traces, frame: Frame): Traces {
  const out: Traces = {};
  for (const [name, row] of Object.entries(frame.rows)) {
    const old = (traces[name] ?? []).filter((s) => s[0] > frame.now - KEEP_S);
    const last = old.at(-1);
    const fresh: Sample[] = row.more ?? (row.t !== null && row.v !== null ? [[row.t, row.v]] : []);
    const later = fresh.filter((s) => !last || s[0] > last[0]);
    out[name] = later.length ? [...old, ...later] : old;
  }
  return out;
}

/** The live side of a run: a frame ten times a second, the trace so far, and whether the stream itself stands. */
export function useLive(runId: string, seq: number, enabled: boolean) {
  const queries = useQueryClient();
  const [frame, setFrame] = useState<Frame | null>(null);
  const [connected, setConnected] = useState(false);
  const traces = useRef<Traces>({});
  const asked = useRef(0);
  const seen = useRef(seq);
  useEffect(() => {
    seen.current = seq;
  }, [seq]);
  useEffect(() => {
    if (!enabled || typeof EventSource === "undefined") return;
    const source = new EventSource(`/api/v1/runs/${runId}/live/`);
    source.addEventListener("open", () => setConnected(true));
    source.addEventListener("error", () => setConnected(false));
    source.addEventListener("trace", (e: MessageEvent<string>) => {
      traces.current = JSON.parse(e.data) as Traces;
    });
    source.addEventListener("frame", (e: MessageEvent<string>) => {
      const next = JSON.parse(e.data) as Frame;
      traces.current = grow(traces.current, next);
      setConnected(true);
      setFrame(next);
      // Somebody, or the capture that goes on by itself, moved the run on: fetch it once for each step ahead.
      if (next.seq > seen.current && next.seq > asked.current && !isUncertain(queries, runId)) {
        asked.current = next.seq;
        for (const key of [["run", runId], ["holds"]]) void queries.invalidateQueries({ queryKey: key });
      }
    });
    return () => {
      source.close();
      setFrame(null);
      setConnected(false);
    };
  }, [runId, enabled, queries]);
  return { frame: enabled ? frame : null, connected, traces };
}

/** While nothing is read live the page still hears at once that somebody moved the run on, or took its hold off. */
export function useWatch(runId: string, seq: number, enabled: boolean) {
  const queries = useQueryClient();
  const seen = useRef(seq);
  useEffect(() => {
    seen.current = seq;
  }, [seq]);
  useEffect(() => {
    if (!enabled || typeof EventSource === "undefined") return;
    const source = new EventSource(`/api/v1/runs/${runId}/watch/`);
    source.addEventListener("seq", (e: MessageEvent<string>) => {
      if (Number(e.data) <= seen.current || isUncertain(queries, runId)) return;
      for (const key of [["run", runId], ["holds"]]) void queries.invalidateQueries({ queryKey: key });
    });
    return () => source.close();
  }, [runId, enabled, queries]);
}
