import { useIsMutating } from "@tanstack/react-query";
import { Calculator, CloudUpload, Cloud, NotebookPen, Ban, Undo2 } from "lucide-react";
import { useState } from "react";
import { Link, Navigate, useParams } from "react-router";
import type { Run } from "../../api/client";
import { useMay } from "../../app/session";
import { Failure, Loading, Message } from "../../ui/Message";
import { useNow } from "../../ui/useNow";
import { countdown } from "../../ui/format";
import { useWatch } from "../live/useLive";
import { Evidence } from "./Evidence";
import { NoteDialog, ReopenDialog, VoidDialog } from "./RunDialogs";
import { Meanwhile } from "./Meanwhile";
import { Rail } from "./Rail";
import { StepPanel } from "./StepPanel";
import { useNotStored } from "./useEntries";
import { useRun } from "./useRun";

function SaveState({ id, failed }: { id: string; failed: boolean }) {
  const saving = useIsMutating({ mutationKey: ["append", id] }) > 0;
  const waiting = useNotStored(id);
  const [Icon, words] = saving
    ? [CloudUpload, "Saving…"]
    : failed
      ? [CloudUpload, "No connection"]
      : waiting
        ? [CloudUpload, `${waiting} not stored yet`]
        : [Cloud, "All saved"];
  return (
    <span role="status" className={`inline-flex items-center gap-2 text-sm ${failed || (waiting && !saving) ? "font-bold text-iron" : "text-muted"}`}>
      <Icon size={18} aria-hidden="true" /> {words}
    </span>
  );
}

/** What a step is called. */
function titleOf(run: Run, step: string): string {
  return run.view.rail.flatMap((p) => p.steps).find((s) => s.key === step)?.title ?? step;
}

function RunningTimers({ run }: { run: Run }) {
  const now = useNow();
  const running = run.view.timers.filter((t) => t.due_at && !t.reason && Date.parse(t.due_at) > now);
  return running.map((t) => (
    <span key={t.step} className="inline-flex items-center gap-2 border-l-4 border-amber bg-amber-soft px-2 py-1 text-sm font-bold">
      {titleOf(run, t.step)} {countdown(Date.parse(t.due_at ?? "") - now)}
    </span>
  ));
}

const TOOL = "inline-flex min-h-12 items-center gap-2 rounded-md px-3 font-bold text-water hover:bg-water-soft";

function Header({ run, failed, onReopen }: { run: Run; failed: boolean; onReopen: (step: string) => void }) {
  const back = run.view.can_reopen.at(-1);
  const [open, setOpen] = useState<"note" | "void" | null>(null);
  const mayWork = useMay("work on a run");
  const i = run.view.instrument;
  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-0 border-b border-rule bg-page px-4">
      <h1 className="flex items-baseline gap-3 py-1">
        <span className="text-2xl font-bold">{i.tag}</span>
        <span className="max-w-72 truncate">{i.service}</span>
      </h1>
      <span className="text-sm">
        <span className="text-muted">in</span> {i.range}, <span className="text-muted">out</span> {i.output},{" "}
        <span className="font-bold">{i.tolerance}</span>
      </span>
      <RunningTimers run={run} />
      <span className="ml-auto flex items-center gap-1">
        <SaveState id={run.id} failed={failed} />
        <Link to={`/calculators?run=${run.id}`} className={TOOL}>
          <Calculator size={18} aria-hidden="true" /> Calculate
        </Link>
        {mayWork && (
          <>
            {back && (
              <button type="button" className={TOOL} onClick={() => onReopen(back)}>
                <Undo2 size={18} aria-hidden="true" /> Step back
              </button>
            )}
            <button type="button" className={TOOL} onClick={() => setOpen("note")}>
              <NotebookPen size={18} aria-hidden="true" /> Note
            </button>
            <button type="button" className={TOOL} onClick={() => setOpen("void")}>
              <Ban size={18} aria-hidden="true" /> Void
            </button>
          </>
        )}
      </span>
      <NoteDialog run={run} open={open === "note"} onClose={() => setOpen(null)} />
      <VoidDialog run={run} open={open === "void"} onClose={() => setOpen(null)} />
    </div>
  );
}

export function RunPage() {
  const { id = "" } = useParams();
  const query = useRun(id);
  const mayWork = useMay("work on a run");
  const [reopening, setReopening] = useState("");
  const view = query.data?.view;
  const streams = Boolean(view?.sources.length) && ["readings", "condition", "adjust"].includes(view?.step?.kind ?? "");
  useWatch(id, view?.seq ?? 0, Boolean(view?.step) && !streams);
  if (query.isPending) return <Loading what="the run" />;
  if (query.isError && !query.data) {
    return (
      <div className="p-6">
        <Failure error={query.error} retry={() => void query.refetch()} />
        <Link to="/" className="inline-flex min-h-12 items-center font-bold text-water underline">
          Back to Today
        </Link>
      </div>
    );
  }
  const run = query.data;
  if (!run.view.step) return <Navigate to={`/records/${run.id}`} replace />;
  return (
    <div className="flex h-full flex-col">
      <Header run={run} failed={query.isError} onReopen={setReopening} />
      {reopening && <ReopenDialog run={run} first={reopening} onClose={() => setReopening("")} />}
      {run.kit_out.map((says) => (
        <Message key={says} tone="out">
          {says}
        </Message>
      ))}
      <div className="grid min-h-0 flex-1 lg:grid-cols-[208px_minmax(0,1fr)_minmax(380px,36%)]">
        <Rail view={run.view} onReopen={mayWork ? setReopening : undefined} />
        <div className="flex min-h-0 min-w-0 flex-col border-rule bg-page lg:border-x">
          <Meanwhile id={run.id} />
          {mayWork ? (
            <StepPanel run={run} key={run.view.step.key} />
          ) : (
            <div className="p-6">
              <Message>This run is under way: “{run.view.step.title}”. Your role can look on; technicians work on it.</Message>
            </div>
          )}
        </div>
        <Evidence run={run} />
      </div>
    </div>
  );
}
