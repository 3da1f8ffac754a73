import { ArrowDownToLine, Send } from "lucide-react";
import type { Run, Step } from "../../../api/client";
import { Button, LinkButton } from "../../../ui/Button";
import { ChooseJson } from "../../../ui/ChooseJson";
import { Failure, Message } from "../../../ui/Message";
import type { Indicator } from "./useIndicator";

/**
 * What the instrument can be asked for at a step, and told, where it is on the bench; its parameters as a file. onTaken: what was typed in these fields before gives
 * way to what was read. onSaved: the name under which the file was saved.
 */
export function Readouts({ run, step, from, onTaken, onSaved }: { run: Run; step: Step; from: Indicator; onTaken: (fields: string[]) => void; onSaved: (name: string) => void }) {
  const { now, read, send, load, busy, error } = from;
  const there = now?.device ?? "";
  if (!there && !step.loads && !step.saves) return null;
  const clear = () => {
    read.reset();
    send.reset();
    load.reset();
  };
  const choose = (file: File) => {
    clear();
    load.mutate(file, { onSuccess: () => onTaken(step.fields.map((f) => f.name)) });
  };
  return (
    <section aria-label={there || "File of parameters"} className="space-y-2">
      <div className="flex flex-wrap items-center gap-2">
        {there && <span className="text-muted">{there}:</span>}
        {step.loads && <ChooseJson says="Take them from a file" label="A file of parameters" onChoose={choose} disabled={busy} />}
        {step.saves && (
          <LinkButton href={`/api/v1/runs/${run.id}/indicator/parameters.json`} onClick={() => onSaved(`${run.view.instrument.tag}-parameters.json`)}>
            Save the file
          </LinkButton>
        )}
        {there && step.sends && (
          <Button
            onClick={() => {
              clear();
              send.mutate(undefined, { onSuccess: () => onTaken(step.readouts.flatMap((r) => r.fields)) });
            }}
            disabled={busy}
          >
            <Send size={18} aria-hidden="true" /> Send it, then read it back
          </Button>
        )}
        {(there ? step.readouts : []).map((r) => (
          <Button
            key={r.key}
            onClick={() => {
              clear();
              read.mutate(r.key, { onSuccess: () => onTaken(r.fields) });
            }}
            disabled={busy}
          >
            <ArrowDownToLine size={18} aria-hidden="true" /> {r.label}
          </Button>
        ))}
        {busy && <span role="status">Talking to it…</span>}
      </div>
      {now?.fault && <Message tone="edge">{now.fault}</Message>}
      {error !== null && <Failure error={error} />}
    </section>
  );
}
