import { ArrowDown, ArrowUp, Cable } from "lucide-react";
import { useMutation } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { ApiFailure, client, unwrap, type Run, type Step } from "../../../api/client";
import { useAutoCaptures } from "../../../api/queries";
import { HowFar } from "../../live/HowFar";
import { useShortcuts } from "../../../app/shortcuts";
import { Button } from "../../../ui/Button";
import { TextField } from "../../../ui/fields";
import { Failure, Message } from "../../../ui/Message";
import { useDraftForm } from "../../../ui/useDraft";
import { paperTime } from "../paper";
import { Verdict } from "../../../ui/Verdict";
import { Exposure } from "../../gas/Exposure";
import { Keys } from "../../gas/Keys";
import { LivePanel } from "../../live/LivePanel";
import { SourcePicker } from "../../live/SourcePicker";
import { useAutoCapture, useCapture } from "../../live/useCapture";
import { useLive } from "../../live/useLive";
import { ChromatogramEntry, Wait } from "../Chromatograms";
import { useChromatogram } from "../useChromatogram";
import { EndTimer } from "../EndTimer";
import { StepFrame, type StepProps } from "../StepFrame";
import { pointAfter, useEntries, useTypedThrough, type Point } from "../useEntries";
import { Waiting } from "../Waiting";

function Asked({ at, total, unit, counted }: { at: Point; total: number; unit: string; counted: string }) {
  const Way = at.direction === "up" ? ArrowUp : ArrowDown;
  const applied = at.quantities.find((q) => q.name === "applied");
  const indicated = at.quantities.find((q) => q.name === "indicated");
  return (
    <div className="grid grid-cols-[repeat(4,auto)] justify-start items-end gap-x-8 gap-y-1 border-y-2 border-slate py-2">
      <p>
        <span className="block text-sm text-muted">{at.channel || "Point"}</span>
        <span className="inline-flex items-center gap-1 text-3xl font-bold">
          {at.number}
          <span className="text-lg font-normal text-muted">of {total}</span>
          {at.direction_word && (
            <>
              <Way size={26} aria-hidden="true" />
              <span className="text-lg font-normal">{at.direction_word}</span>
            </>
          )}
        </span>
      </p>
      <p className={at.nominal ? "" : "hidden"}>
        <span className="block text-sm text-muted">Apply{at.percent && ` (${at.percent})`}</span>
        <span className="text-3xl font-bold">
          {applied && applied.unit !== unit ? applied.expected : at.nominal} <span className="text-lg font-normal">{applied?.unit ?? unit}</span>
        </span>
      </p>
      {counted && (
        <p role="status" aria-label="Counted">
          <span className="block text-sm text-muted">Counted</span>
          <span className="text-3xl font-bold tabular-nums">{counted}</span>
        </p>
      )}
      <p className={at.ideal ? "" : "hidden"}>
        <span className="block text-sm text-muted">Ideal</span>
        <span className="text-3xl font-bold text-water">
          {at.ideal} <span className="text-lg font-normal">{indicated?.unit}</span>
        </span>
      </p>
    </div>
  );
}

function LastReading({ run, step }: { run: Run; step: Step }) {
  const last = [...(run.view.evidence.find((s) => s.key === step.key)?.rows ?? [])].reverse().find((row) => !row.struck);
  if (!last) return null;
  return (
    <div role="status" aria-label="Last reading" className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
      <span className="text-muted">
        Reading {last.number}, {last.indicated} {step.readings?.output_unit}:
      </span>
      <span className="text-2xl font-bold">
        {last.error}
        {last.share && ` ${step.readings?.unit ?? ""}, ${last.share} of span`}
      </span>
      <span className="text-xl">
        <Verdict verdict={last.verdict} close={last.is_too_close} size={20} />
      </span>
      <span className="w-full text-sm text-muted">
        {last.says}
        {last.split && ` Split: ${last.split}.`}
        {last.slip && <strong className="text-amber"> Did you mean {last.slip}? Strike it in the table and take it again.</strong>}
      </span>
    </div>
  );
}

/** How the capture that goes on by itself stands; it is stopped here at any time. */
function ByItself({ run, failed }: { run: Run; failed: Error | null }) {
  const { stop } = useAutoCapture(run);
  const auto = useAutoCaptures(run.id).data?.[0];
  if (auto?.status === "running") {
    return (
      <div role="status" className="flex flex-wrap items-center gap-4 border-l-8 border-water bg-water-soft px-3 py-2">
        <span className="flex-1">
          <strong>Capturing by itself. </strong>
          {auto.says} <HowFar auto={auto} />
        </span>
        <Button onClick={() => stop.mutate(auto.id)} disabled={stop.isPending}>
          Stop it
        </Button>
      </div>
    );
  }
  return (
    <>
      {auto?.status === "stopped" && <Message tone="edge">{auto.says}</Message>}
      {failed && <Failure error={failed} />}
    </>
  );
}

export function ReadingsStep({ run, step }: StepProps) {
  const capture = useCapture(run);
  const auto = useAutoCapture(run);
  const gasOn = useMutation({ mutationFn: () => unwrap(client.POST("/api/v1/runs/{run_id}/gas-on/", { params: { path: { run_id: run.id } } })) });
  const r = step.readings;
  const next = r?.next ?? null;
  const [typed, set, clear] = useDraftForm(`${run.id}/${step.key}/reading`);
  const field = useRef<HTMLInputElement>(null);
  const names = new Map(next?.quantities.map((q) => [q.name, q.source_channel]));
  const sources = run.view.sources.filter((s) => names.get(s.quantity) === s.channel);
  const isLive = sources.length > 0;
  const readsLive = sources.some((s) => s.quantity === "indicated");
  // Whoever is typing in another field already stays there: a digit that jumps belongs to nothing.
  const toField = () => {
    if (!field.current?.form?.contains(document.activeElement) || !(document.activeElement instanceof HTMLInputElement)) {
      field.current?.focus({ preventScroll: readsLive });
    }
  };
  const entries = useEntries({
    run,
    step: step.key,
    next: next?.slot ?? 0,
    isTyping: Object.values(typed).some(Boolean),
    restore: (values) => Object.entries(values).forEach(([name, value]) => set(name, value)),
    onStored: () => toField(),
  });
  useTypedThrough({ run: run.id, isOwn: entries.waiting.length > 0, asksOne: (next?.ahead ?? 0) > 0 && !readsLive, typed, set, clear });
  const [choosing, setChoosing] = useState(false);
  const [paper, setPaper] = useState<string | null>(null);
  const curve = useChromatogram(run, step);
  const [byLine, setByLine] = useState(false);
  const live = useLive(run.id, run.view.seq, isLive);
  const captures = useAutoCaptures(run.id, isLive);
  const failed = entries.failure ?? capture.error;
  const failure = failed instanceof ApiFailure ? failed : null;
  // Beside a live picture the field must not pull the point and its ideal out of sight.
  useEffect(() => {
    const at = document.activeElement;
    if (!(at instanceof HTMLInputElement) || !field.current?.form?.contains(at)) field.current?.focus({ preventScroll: readsLive });
  }, [next?.slot, readsLive]);
  useShortcuts([{ keys: "Ctrl+L", says: "choose where readings come from", run: () => setChoosing((on) => !on), always: true }]);
  if (!r || !next) return null;
  // What is entered goes on before it is stored, and the page with it: the point that the next number is for. Past those that are known it stays in its field.
  const mustWait = entries.waiting.length > 0 && entries.waiting.length >= next.ahead;
  const at = pointAfter(next, entries.waiting.length);
  const record = (changed: Record<string, string> = {}, confirmed = false) => {
    if (mustWait) return;
    capture.reset();
    const applied = at.quantities.find((q) => q.name === "applied");
    const values: Record<string, string> = { ...typed, ...changed };
    if (paper !== null) values.read_at = paperTime(paper);
    entries.enter(values, { slot: at.slot, values: applied ? { applied: applied.expected } : {} }, confirmed);
    clear();
    field.current?.focus({ preventScroll: readsLive }); // at once: later it would take the focus from whoever types on
  };
  const take = () => {
    if (capture.isPending || entries.waiting.length) return;
    if (!entries.isPending) entries.reset();
    capture.mutate(typed, { onSuccess: clear, onSettled: () => field.current?.focus({ preventScroll: readsLive }) });
  };
  const entry = r.chromatogram;
  // A detector that is live gives the whole injection at once; the lines are folded away until they are asked for.
  const byCurve = entry !== null && Boolean(live.frame?.rows.chromatogram) && !byLine;
  const isOut = byCurve && live.frame !== null && live.frame.is_marked === true && live.frame.now - live.frame.since > entry.lasts_s;
  const takeCurve = () => {
    if (!curve.busy) curve.fromDetector.mutate();
  };
  const submit = () => (byCurve ? takeCurve() : readsLive && !typed.indicated ? take() : record());
  const suggestion = typeof failure?.details.suggestion === "string" ? failure.details.suggestion : null;
  const asks = failure?.details.can_confirm === true;
  const ready = Boolean(live.frame) && (Object.values(live.frame?.rows ?? {}).every((row) => row.status === "settled") || ["no response", "unstable"].includes(live.frame?.exposure?.kind ?? ""));
  const hasStimulus = sources.some((s) => s.quantity === "applied" && s.stimulus);
  const counter = next.quantities.find((q) => q.counts_up);
  const goesOn = captures.data?.[0]?.status === "running";
  return (
    <StepFrame
      step={isLive ? { ...step, instruction: "" } : step}
      onSubmit={submit}
      action={
        <>
          <Button onClick={() => setChoosing(!choosing)}>
            <Cable size={18} aria-hidden="true" /> {isLive ? "Sources" : "Read live"}
          </Button>
          {!isLive && (
            <Button pressed={paper !== null} onClick={() => setPaper(paper === null ? "" : null)}>
              From paper
            </Button>
          )}
          {readsLive && hasStimulus && !goesOn && (
            <Button onClick={() => auto.start.mutate()} disabled={auto.start.isPending}>
              All by itself
            </Button>
          )}
          {entry && Boolean(live.frame?.rows.chromatogram) && <Button onClick={() => setByLine(!byLine)}>{byLine ? "By its chromatogram" : "Line by line"}</Button>}
          <span className="flex-1" />
          {byCurve ? (
            <Button kind={isOut ? "primary" : "plain"} type="submit" large disabled={curve.busy}>
              {isOut ? `Take injection ${entry.injection}` : live.frame?.is_marked ? "Not all has come out" : "Inject first"}
            </Button>
          ) : readsLive && !typed.indicated ? (
            // Pressed too early it says what is still moving; it is never dead under a finger.
            <Button kind={ready ? "primary" : "plain"} type="submit" large disabled={capture.isPending || entries.isPending}>
              {ready ? `Capture reading ${next.number}` : "Not ready to capture"}
            </Button>
          ) : (
            <Button kind="primary" type="submit" large disabled={capture.isPending || mustWait}>
              Record reading {at.number}
            </Button>
          )}
        </>
      }
    >
      {!byCurve && <Asked at={at} total={r.total} unit={r.unit} counted={counter ? (live.frame?.rows[counter.name]?.text ?? "") : ""} />}
      <p className="font-bold">{at.how}</p>
      {paper !== null && !isLive && (
        <div className="max-w-xs">
          <TextField label="Read at, as written on the paper" hint="Like 10:32, or 2026-11-24 10:32" value={paper} onChange={setPaper} />
        </div>
      )}
      <Keys run={run} only={step.keys} />
      {choosing && <SourcePicker run={run} readings={r} onDone={() => setChoosing(false)} />}
      {isLive && <ByItself run={run} failed={auto.start.error} />}
      {step.panels.includes("gas") && readsLive && (
        <Exposure exposure={live.frame?.exposure ?? null} anew={live.frame?.interruptions} onGas={() => gasOn.mutate()} />
      )}
      {live.frame?.course && <p role="status" aria-label="Forecast" className="font-bold">{live.frame.course}</p>}
      <Wait until={next.ready_at} />
      {entry && <ChromatogramEntry entry={entry} state={curve} live={live.frame} traces={live.traces} />}
      {isLive && !entry && <LivePanel frame={live.frame} traces={live.traces} connected={live.connected} />}
      <div className={byCurve ? "hidden" : "grid max-w-2xl grid-cols-2 items-start gap-4"}>
        {at.quantities.filter((q) => !q.is_live_only).sort((a, b) => Number(b.name === "indicated") - Number(a.name === "indicated")).map((q) => {
          const fromLive = sources.some((s) => s.quantity === q.name);
          const isIt = q.name === "indicated";
          return (
            <TextField
              key={q.name}
              label={fromLive ? `${q.label}, typed instead` : q.required ? q.label : `${q.label} (may be left empty)`}
              unit={q.unit}
              numeric
              big={isIt && !isLive}
              value={typed[q.name] ?? (q.name === "applied" && !fromLive ? q.expected : "")}
              onChange={(v) => set(q.name, v)}
              inputRef={isIt ? field : undefined}
              autoFocus={isIt && !readsLive}
              hint={fromLive ? "" : q.hint || (isIt ? `Gives ${q.believable}.` : "")}
            />
          );
        })}
      </div>
      <Waiting entries={entries} first={next.number} unit={(name) => next.quantities.find((q) => q.name === name)?.unit ?? ""} />
      {failure && asks && !entries.refused && (
        <Message tone="edge">
          <p>{failure.message}</p>
          <div className="mt-2 flex flex-wrap gap-3">
            {suggestion && (
              <Button onClick={() => record({ [failure.field || "indicated"]: suggestion })} kind="primary">
                Yes, {suggestion} {next.quantities.find((q) => q.name === (failure.field || "indicated"))?.unit}
              </Button>
            )}
            <Button onClick={() => record({}, true)}>It really is so</Button>
          </div>
        </Message>
      )}
      {failure && !asks && !entries.refused && <Failure error={failure} />}
      {failure?.code === "warming_up" && <EndTimer run={run} timer={String(failure.details.timer ?? "warm_up")} />}
      {!failure && <LastReading run={run} step={step} />}
    </StepFrame>
  );
}
