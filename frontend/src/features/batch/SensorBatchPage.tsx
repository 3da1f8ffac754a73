import { useQueryClient } from "@tanstack/react-query";
import { Link, useParams } from "react-router";
import { ApiFailure, client, unwrap } from "../../api/client";
import { HowFar } from "../live/HowFar";
import { Button, LinkButton } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure, Loading, Message } from "../../ui/Message";
import { SignMany } from "../../ui/SignMany";
import { TapSays } from "../../ui/TapSays";
import { useDraftForm } from "../../ui/useDraft";
import { Verdict } from "../../ui/Verdict";
import { useAct, useBatch, type Batch, type BatchSensor, type Texts } from "./batches";
import { PlanView } from "./Going";

const WORDS: Record<string, string> = {
  "to begin": "not begun",
  "at work": "at work",
  plain: "to be put back",
  "to decide": "to be decided in its run",
  ready: "ready to sign",
  signed: "signed",
  accepted: "signed",
  returned: "returned",
  voided: "voided",
};

function Row({ sensor: s, onDrop }: { sensor: BatchSensor; onDrop?: () => void }) {
  return (
    <tr className="border-b border-rule align-top">
      <td className="py-2">
        {s.run ? (
          <Link to={`/run/${s.run}`} className="inline-flex min-h-12 items-center text-lg font-bold text-water underline">
            {s.tag}
          </Link>
        ) : (
          <span className="inline-flex min-h-12 items-center text-lg font-bold">{s.tag}</span>
        )}
        <p className="text-sm text-muted">{s.service}</p>
      </td>
      <td className="py-4">
        {s.block_name}, well {s.well}
        <p className="text-sm text-muted">
          {s.probe}, {s.readout}
        </p>
      </td>
      <td className="py-4">
        {s.taken} of {s.total}
        <svg viewBox="0 0 100 5" preserveAspectRatio="none" className="h-2 w-32" aria-hidden="true">
          <rect width="100" height="5" className="fill-rule" />
          <rect width={s.total ? (100 * s.taken) / s.total : 0} height="5" className="fill-kelp" />
        </svg>
      </td>
      <td className="py-4">
        <Verdict verdict={s.verdict || null} />
        {s.share && <p className="text-sm text-muted">{s.share} % of its tolerance is used</p>}
      </td>
      <td className="py-4">
        <span className={["to decide", "returned"].includes(s.state) ? "font-bold text-iron" : ""}>{WORDS[s.state] ?? s.state}</span>
        {s.is_on_hold && <strong className="text-amber">, on hold</strong>}
        {s.state === "at work" && s.at_step && <p className="text-sm text-muted">{s.at_step}</p>}
        {s.note && <p className="max-w-md font-bold text-iron">{s.note}</p>}
        {s.state === "to begin" && onDrop && <Button onClick={onDrop}>Take it out</Button>}
      </td>
    </tr>
  );
}

/** The names of fields of a sensor whose unlikely number really is so. */
function sureOf(tag: string, sure: string[]): [string, string][] {
  const names = sure.filter((f) => f.endsWith(`:${tag}`)).map((f) => f.slice(0, -tag.length - 1));
  return names.length ? [["confirmed", names.join(",")]] : [];
}

/** Where the outcome is plain: back in their wells, their normal readings seen, their holds off, in one go. */
function PutBack({ batch, act }: { batch: Batch; act: ReturnType<typeof useAct> }) {
  const [typed, set, clear] = useDraftForm(`batch/${batch.id}/back`);
  const plain = batch.sensors.filter((s) => s.state === "plain");
  if (!plain.length) return null;
  const errors = act.error instanceof ApiFailure && act.variables?.do === "back" ? act.error.byField : {};
  const failure = act.error instanceof ApiFailure && act.variables?.do === "back" ? act.error : null;
  const asked = failure ? failure.unlikely : [];
  const said = (sure: string[] = []) => Object.fromEntries(plain.map((s) => [s.tag, Object.fromEntries(s.asks.map((a) => [a.name, typed[`${a.name}:${s.tag}`] ?? ""]).concat(sureOf(s.tag, sure))) as Texts]));
  return (
    <form
      aria-label="Put back"
      className="space-y-4 border-t-4 border-kelp pt-3"
      onSubmit={(e) => {
        e.preventDefault();
        if (!act.isPending) act.mutate({ do: "back", said: said() }, { onSuccess: clear });
      }}
    >
      <h2 className="text-xl font-bold">Put back what is plain</h2>
      <p>What stays empty is not put back yet. The block stays hot long after it is off: let sensors cool before they are carried.</p>
      <div className="grid items-start gap-4 sm:grid-cols-2 lg:grid-cols-4">
        {plain.flatMap((s) =>
          s.asks.map((a) => (
            <TextField
              key={`${a.name}:${s.tag}`}
              label={`${s.tag}: ${a.label}`}
              numeric={Boolean(a.unit)}
              value={typed[`${a.name}:${s.tag}`] ?? ""}
              onChange={(v) => set(`${a.name}:${s.tag}`, v)}
              error={errors[`${a.name}:${s.tag}`]}
            />
          )),
        )}
      </div>
      <TapSays tap={{ cautions: [], says: [...new Set(plain.flatMap((s) => s.says))] }} />
      {failure && <Failure error={failure} />}
      {asked.length > 0 && (
        <Button onClick={() => act.mutate({ do: "back", said: said(asked) }, { onSuccess: clear })} disabled={act.isPending}>
          It really is so
        </Button>
      )}
      <Button kind="primary" large type="submit" disabled={act.isPending}>
        They are back, their holds are off
      </Button>
    </form>
  );
}

function Capture({ batch, act }: { batch: Batch; act: ReturnType<typeof useAct> }) {
  const { auto } = batch;
  const isGoing = auto?.status === "running";
  const stuck = batch.sensors.some((s) => s.note);
  return (
    <section aria-label="Capture" className="space-y-3">
      <div className="flex flex-wrap items-center gap-4">
        <div className="min-w-0 flex-1" role="status">
          {isGoing ? auto.lanes.map((l) => <p key={l.label + l.says}>{l.says || "Starting."}</p>) : auto && <p>{auto.says}</p>}
          {isGoing && <HowFar auto={auto} />}
        </div>
        {isGoing && batch.is_mine && (
          <Button onClick={() => act.mutate({ do: "stop", auto: auto.id })} disabled={act.isPending}>
            Stop it
          </Button>
        )}
        {batch.is_mine && !isGoing && (batch.can_capture || stuck) && (
          <Button kind="primary" onClick={() => act.mutate({ do: "on", said: {} })} disabled={act.isPending}>
            {stuck ? "Try again" : "Take the points"}
          </Button>
        )}
      </div>
      {isGoing && auto.plan.turns.length > 0 && (
        <details>
          <summary className="min-h-12 cursor-pointer py-3 font-bold text-water">How it will go</summary>
          <PlanView plan={auto.plan} />
        </details>
      )}
    </section>
  );
}

/** A batch under way: how each sensor stands, then back into their wells and signed. */
export function SensorBatchPage() {
  const { id = "" } = useParams();
  const queries = useQueryClient();
  const batch = useBatch(id);
  const act = useAct(id);
  if (batch.isPending) return <Loading what="the batch" />;
  if (batch.isError) return <Failure error={batch.error} retry={() => void batch.refetch()} />;
  const b = batch.data;
  return (
    <div className="mx-auto max-w-6xl space-y-5 p-4 lg:p-6">
      <div className="flex flex-wrap items-center gap-4">
        <h1 className="mr-auto text-2xl font-bold">{b.is_mine ? "Sensors in blocks" : `Sensors of ${b.by}`}</h1>
        {b.is_mine && b.ready > 0 && (
          <SignMany
            count={b.ready}
            send={(proof) => unwrap(client.POST("/api/v1/batches/{batch_id}/sign/", { params: { path: { batch_id: b.id } }, body: { ...proof, note: "" } }))}
            onSigned={(next) => {
              queries.setQueryData(["batch", b.id], next);
              for (const key of ["today", "records", "batches", "batch-sensors", "run"]) void queries.invalidateQueries({ queryKey: [key] });
            }}
          />
        )}
      </div>
      {b.closed_at && (
        <Message title="This batch is over">
          Every sensor has its record. <LinkButton to="/batch">Other sensors</LinkButton>
        </Message>
      )}
      <table className="w-full">
        <thead>
          <tr className="border-b-2 border-slate text-left text-sm">
            <th className="font-normal">Sensor</th>
            <th className="font-normal">Stands in</th>
            <th className="font-normal">Points</th>
            <th className="font-normal">So far</th>
            <th className="font-normal">State</th>
          </tr>
        </thead>
        <tbody>
          {b.sensors.map((s) => (
            <Row key={s.tag} sensor={s} onDrop={b.is_mine ? () => act.mutate({ do: "drop", tag: s.tag }) : undefined} />
          ))}
        </tbody>
      </table>
      {!b.closed_at && <Capture batch={b} act={act} />}
      {act.isError && act.variables.do !== "back" && <Failure error={act.error} />}
      {b.is_mine && <PutBack batch={b} act={act} />}
    </div>
  );
}
