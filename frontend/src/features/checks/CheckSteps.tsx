import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useEffect, useRef, type ReactNode } from "react";
import { Link } from "react-router";
import { ApiFailure, client, unwrap, type Run, type Step } from "../../api/client";
import { useAutoCaptures } from "../../api/queries";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure, Loading, Message } from "../../ui/Message";
import { TapSays } from "../../ui/TapSays";
import { useDraft } from "../../ui/useDraft";
import { useNow } from "../../ui/useNow";
import { Verdict } from "../../ui/Verdict";
import { LivePanel } from "../live/LivePanel";
import { useCapture } from "../live/useCapture";
import { useLive } from "../live/useLive";
import { newId } from "../run/useRun";
import { useTap, type CheckJob, type CheckRound, type useAct } from "./checks";

export type Act = ReturnType<typeof useAct>;
export interface Props {
  run: Run;
  step: Step;
  tag: string;
  act: Act;
}

function isLiveRun(run: Run): boolean {
  return run.view.sources.some((s) => s.quantity === "indicated");
}

/**
 * Where the keyboard goes on from: just before the next button, never on it. A scanner ends with Enter, and a tag scanned a moment too early must not
 * say that a hold is on or an alarm came.
 */
export function Here() {
  const place = useRef<HTMLSpanElement>(null);
  useEffect(() => place.current?.focus({ preventScroll: true }), []);
  return <span ref={place} tabIndex={-1} className="sr-only" />;
}

/** A number and Enter: the field has the focus, what was typed stays until it is stored. */
function NumberEntry({ name, label, unit, busy, error, onEnter, children }: { name: string; label: string; unit: string; busy: boolean; error?: string; onEnter: (text: string, done: () => void) => void; children?: ReactNode }) {
  const [text, setText] = useDraft(name);
  const enter = (value: string) => {
    if (!busy && value.trim()) onEnter(value, () => setText(""));
  };
  return (
    <form
      className="space-y-3"
      onSubmit={(e) => {
        e.preventDefault();
        enter(text);
      }}
    >
      <div className="flex max-w-md items-end gap-3">
        <div className="flex-1">
          <TextField key={name} label={label} unit={unit} numeric big autoFocus value={text} onChange={setText} error={error} />
        </div>
        <Button type="submit" kind="primary" large disabled={busy || !text.trim()}>
          Enter
        </Button>
      </div>
      {children}
    </form>
  );
}

/** The exposure that is on: read by itself where it is live, else typed. */
export function Reading({ run, step, tag, act }: Props) {
  const next = step.readings?.next;
  const asked = next?.quantities.find((q) => q.name === "indicated");
  const live = useLive(run.id, run.view.seq, isLiveRun(run));
  const queries = useQueryClient();
  const canSet = run.view.sources.some((s) => s.quantity === "applied" && s.stimulus);
  const gas = useMutation({
    mutationFn: () => unwrap(client.POST("/api/v1/auto-captures/", { body: { runs: [run.id] } })),
    onSettled: () => void queries.invalidateQueries({ queryKey: ["rounds"] }),
  });
  const auto = useAutoCaptures(run.id, canSet).data?.[0];
  const isGoing = auto?.status === "running";
  const pending = useRef({ text: "", id: "" });
  const sent = act.variables?.do === "read" ? act.variables.indicated : "";
  const failure = act.error instanceof ApiFailure && sent ? act.error : null;
  if (!next) return <Loading what="the next reading" />;
  const read = (text: string, done: () => void, sure = false) => {
    if (pending.current.text !== text) pending.current = { text, id: newId() };
    act.mutate(
      { do: "read", tag, event_id: pending.current.id, indicated: text, is_sure: sure },
      {
        onSuccess: () => {
          pending.current = { text: "", id: "" };
          done();
        },
      },
    );
  };
  return (
    <div className="space-y-4">
      <p className="text-lg">{next.how}</p>
      {canSet && (
        <div className="flex flex-wrap items-center gap-3">
          <Here />
          <Button kind="primary" large onClick={() => gas.mutate()} disabled={gas.isPending || isGoing}>
            Gas on
          </Button>
          <span role="status">
            {isGoing ? auto.lanes.map((l) => l.says).join(" ") || "It is read by itself once it stands." : auto?.status === "stopped" ? auto.says : "The manifold opens; the reading is taken by itself."}
          </span>
        </div>
      )}
      {gas.isError && <Failure error={gas.error} />}
      {isLiveRun(run) && <LivePanel frame={live.frame} traces={live.traces} connected={live.connected} />}
      <NumberEntry
        name={`check/${run.id}/${run.view.evidence.length}/${next.slot}`}
        label={next.channel ? `${next.channel} reads` : "It reads"}
        unit={asked?.unit ?? ""}
        busy={act.isPending}
        error={failure?.byField.indicated}
        onEnter={(text, done) => read(text, done)}
      />
      {failure?.details.can_confirm === true && (
        <Button onClick={() => read(sent, () => undefined, true)}>It really reads {sent}</Button>
      )}
      {failure && !failure.byField.indicated && <Failure error={failure} />}
    </div>
  );
}

/** Passed needs nobody; failed is somebody's decision. */
export function Failed({ run, step, tag, act }: Props) {
  const [reason, setReason] = useDraft(`check/${run.id}/reason`);
  const judge = step.judge;
  const clear = { onSuccess: () => setReason("") };
  return (
    <div className="space-y-4">
      <p className="flex items-baseline gap-4 border-y-2 border-slate py-3 text-3xl">
        <Verdict verdict={judge?.verdict ?? "fail"} size={30} />
        <span className="text-lg">{judge?.share} of what is allowed is used</span>
      </p>
      <Message tone="out">{judge?.reason}</Message>
      <div className="max-w-xl">
        <TextField label="Why, in a few words" value={reason} onChange={setReason} hint="For exposing again, or for setting it aside." />
      </div>
      <div className="flex flex-wrap gap-3">
        <Button onClick={() => act.mutate({ do: "again", tag, reason }, clear)} disabled={act.isPending || reason.trim().length < 2}>
          Expose again
        </Button>
        <Button onClick={() => act.mutate({ do: "aside", tag, reason }, clear)} disabled={act.isPending || reason.trim().length < 3}>
          Set aside, its hold stays on
        </Button>
        <Link to={`/run/${run.id}`} className="inline-flex min-h-12 items-center font-bold text-water underline">
          Decide in its run: calibrate now, repair, replace
        </Link>
      </div>
      {act.isError && <Failure error={act.error} />}
    </div>
  );
}

const AGAIN_S = 3; // after which a purge that was not taken is tried again

/** Gas off: purged by what the trace shows, or by what is typed. */
export function Purge({ run, step, tag, act, keep }: Props & { keep: (text: string) => void }) {
  const isLive = step.watches !== "" && isLiveRun(run);
  const live = useLive(run.id, run.view.seq, isLive);
  const capture = useCapture(run);
  const below = typeof live.frame?.purged_s === "number";
  const now = live.frame?.now ?? 0;
  const asked = useRef(-AGAIN_S);
  useEffect(() => {
    if (!below || capture.isPending || now - asked.current < AGAIN_S) return;
    asked.current = now;
    capture.mutate({}, { onSuccess: () => act.mutate({ do: "on", tag, said: {} }) });
  }, [below, now, capture, act, tag]);
  const say = (text: string, done: () => void) =>
    act.mutate(
      { do: "on", tag, said: { purged: text } },
      {
        onSuccess: () => {
          keep(text);
          done();
        },
      },
    );
  const error = act.error instanceof ApiFailure ? act.error.byField.purged : undefined;
  return (
    <div className="space-y-4">
      <p className="text-lg">{step.instruction}</p>
      {isLive && <LivePanel frame={live.frame} traces={live.traces} connected={live.connected} />}
      <NumberEntry name={`check/${run.id}/purged`} label="It reads now" unit={step.fields[0]?.unit ?? ""} busy={act.isPending} error={error} onEnter={say}>
        <Button onClick={() => say("0", () => undefined)} disabled={act.isPending}>
          It reads 0
        </Button>
      </NumberEntry>
      {act.isError && !error && <Failure error={act.error} />}
      {capture.isError && <Failure error={capture.error} />}
    </div>
  );
}

function left(due: string | null | undefined, now: number): number {
  return due ? Math.max(0, Math.ceil((new Date(due).getTime() - now) / 1000)) : 0;
}

/** Everything back and the hold off, with the normal reading, in one tap. */
export function GiveBack({ run, job, round, act, kept }: { run: Run; job: CheckJob; round: CheckRound; act: Act; kept: string }) {
  const now = useNow(500);
  const tap = useTap(round, job);
  const isLive = isLiveRun(run);
  const [typed, setTyped] = useDraft(`check/${run.id}/normal`);
  const wait = left(run.view.timers.find((t) => !t.is_over)?.due_at, now);
  const reading = typed || kept;
  if (tap.isPending) return <Loading what="what is to be put back" />;
  if (tap.isError) return <Failure error={tap.error} retry={() => void tap.refetch()} />;
  const asksReading = job.is_on_hold;
  const back = () => act.mutate({ do: "back", tag: job.tag, said: asksReading && reading ? { reading } : {} }, { onSuccess: () => setTyped("") });
  return (
    <div className="space-y-4">
      {wait > 0 && (
        <p role="status" className="text-3xl font-bold">
          {wait} s <span className="text-lg font-normal text-muted">until the gas has left filter and housing</span>
        </p>
      )}
      <TapSays tap={tap.data} />
      {asksReading && (
        <div className="max-w-md">
          <TextField label="Normal reading seen" unit={job.unit} numeric value={reading} onChange={setTyped} hint={isLive ? "Read live in that moment, which counts; type it only where it is not." : ""} />
        </div>
      )}
      <Here />
      <Button kind="primary" large onClick={back} disabled={act.isPending || wait > 0 || (asksReading && !(reading || isLive))}>
        {tap.data.label}
      </Button>
      {act.isError && <Failure error={act.error} />}
    </div>
  );
}

/** Whatever else is asked with a choice: one button a choice. */
export function Choices({ run, step, tag, act }: Props) {
  const field = step.fields.find((f) => f.kind === "choice" && f.required && !f.usual);
  return (
    <div className="space-y-4">
      <p className="text-lg">{step.instruction}</p>
      <div className="flex flex-wrap gap-3">
        {field?.options.map((o) => (
          <Button key={o.value} onClick={() => act.mutate({ do: "on", tag, said: { [field.name]: o.value } })} disabled={act.isPending}>
            {field.label}: {o.label}
          </Button>
        ))}
        <Link to={`/run/${run.id}`} className="inline-flex min-h-12 items-center font-bold text-water underline">
          Do this step in its run
        </Link>
      </div>
      {act.isError && <Failure error={act.error} />}
    </div>
  );
}

/** The alarms of the exposure, seen to come or not. */
export function Alarms({ run, step, tag, act }: Props) {
  const seen = step.fields.some((f) => f.suggested);
  const asked = useRef(0);
  const { seq } = run.view;
  useEffect(() => {
    if (!seen || asked.current === seq) return;
    asked.current = seq;
    act.mutate({ do: "on", tag, said: {} });
  }, [seen, seq, act, tag]);
  return (
    <div className="space-y-4">
      <p className="text-lg">Did every alarm come while the gas rose? {step.fields.filter((f) => f.hint).map((f) => `${f.label.replace(" came at", "")}, ${f.hint.toLowerCase()}`).join("; ")}.</p>
      <div className="flex flex-wrap items-center gap-4">
        <Here />
        <Button kind="primary" large onClick={() => act.mutate({ do: "on", tag, said: { alarms_came: "all" } })} disabled={act.isPending}>
          All came
        </Button>
        <Link to={`/run/${run.id}`} className="inline-flex min-h-12 items-center font-bold text-water underline">
          One did not: say which in its run
        </Link>
      </div>
      {act.isError && <Failure error={act.error} />}
    </div>
  );
}
