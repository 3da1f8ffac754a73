import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { CheckLine, ChoiceField, LongField, TextField } from "../../ui/fields";
import { Failure, Message } from "../../ui/Message";
import { Modal } from "../../ui/Modal";
import { useDraft } from "../../ui/useDraft";
import { ReallySo } from "../../ui/ReallySo";
import { useAppend, useTakeRun } from "./useRun";

interface Props {
  run: Run;
  open: boolean;
  onClose: () => void;
}

export function NoteDialog({ run, open, onClose }: Props) {
  const append = useAppend(run);
  const [text, setText] = useDraft(`${run.id}/note`);
  return (
    <Modal open={open} onClose={onClose} title="Note for the record">
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          append.mutate([{ type: "note_added", payload: { text } }], {
            onSuccess: () => {
              setText("");
              onClose();
            },
          });
        }}
      >
        <LongField label="What you saw or did" value={text} onChange={setText} rows={4} />
        {append.isError && <Failure error={append.error} />}
        <div className="flex justify-end gap-3">
          <Button onClick={onClose}>Not now</Button>
          <Button kind="primary" type="submit" disabled={append.isPending || text.trim().length < 2}>
            Add the note
          </Button>
        </div>
      </form>
    </Modal>
  );
}

/** Choose a reading of the current set, the last one first, and strike it with a reason. */
export function StrikeDialog({ run, set, onClose }: { run: Run; set: string; onClose: () => void }) {
  const append = useAppend(run);
  const rows = (run.view.evidence.find((s) => s.key === set)?.rows ?? []).filter((r) => !r.struck).reverse();
  const [picked, setPicked] = useState(rows[0]?.id ?? "");
  const [reason, setReason] = useState("");
  return (
    <Modal open onClose={onClose} title="Strike a reading">
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          append.mutate([{ type: "reading_struck", payload: { reading: picked, reason } }], { onSuccess: onClose });
        }}
      >
        <p>It stays on the record, struck through, with your reason. The point is then taken again.</p>
        <ChoiceField
          label="Reading"
          value={picked}
          onChange={setPicked}
          options={rows.map((r) => ({ value: r.id, label: `${r.number}: ${r.indicated} at ${r.percent || r.channel} ${r.percent ? r.direction : ""} (${r.error ?? ""})` }))}
        />
        <TextField label="Reason" value={reason} onChange={setReason} autoFocus />
        {append.isError && <Failure error={append.error} />}
        <div className="flex justify-end gap-3">
          <Button onClick={onClose}>Keep it</Button>
          <Button kind="danger" type="submit" disabled={append.isPending || reason.trim().length < 2}>
            Strike it
          </Button>
        </div>
      </form>
    </Modal>
  );
}

/** Take a confirmed step back, with a reason; what was entered before stays on the record. */
export function ReopenDialog({ run, first, onClose }: { run: Run; first: string; onClose: () => void }) {
  const append = useAppend(run);
  const [reason, setReason] = useState("");
  const [step, setStep] = useState(first);
  const steps = run.view.rail.flatMap((p) => p.steps).filter((s) => run.view.can_reopen.includes(s.key));
  return (
    <Modal open onClose={onClose} title="Open a step again">
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          append.mutate([{ type: "step_reopened", payload: { step, reason } }], { onSuccess: onClose });
        }}
      >
        <ChoiceField label="Step" value={step} onChange={setStep} options={steps.map((s) => ({ value: s.key, label: s.title }))} />
        <p>What was entered stays on the record with your reason. What you choose or enter now counts from now on; readings already taken keep what stood for the truth then.</p>
        <TextField label="Why it is opened again" value={reason} onChange={setReason} autoFocus />
        {append.isError && <Failure error={append.error} />}
        <div className="flex justify-end gap-3">
          <Button onClick={onClose}>Leave it as it is</Button>
          <Button kind="primary" type="submit" disabled={append.isPending || reason.trim().length < 2}>
            Open it again
          </Button>
        </div>
      </form>
    </Modal>
  );
}

export function VoidDialog({ run, open, onClose }: Props) {
  const { take, notice } = useTakeRun(run.id);
  const [reason, setReason] = useState("");
  const [reading, setReading] = useState("");
  const [operator, setOperator] = useState("");
  const [keeps, setKeeps] = useState(false);
  const held = run.view.holds.find((h) => !h.released_at);
  const voiding = useMutation({
    mutationFn: (confirmed: string) =>
      unwrap(
        client.POST("/api/v1/runs/{run_id}/void/", {
          params: { path: { run_id: run.id } },
          body: { expected_seq: run.view.seq, reason, keeps_hold: keeps, release: held && !keeps ? { reading, operator, latches: "none", confirmed } : null },
        }),
      ),
    onSuccess: take,
    onError: (error) => {
      notice(error);
      if (error instanceof ApiFailure && error.code === "stale") onClose();
    },
  });
  return (
    <Modal open={open} onClose={onClose} title="Void this run">
      <form
        className="space-y-4"
        onSubmit={(e) => {
          e.preventDefault();
          voiding.mutate("");
        }}
      >
        <p>A voided run stays on the record as void; nothing more can be added to it, and the instrument stays due.</p>
        {held && (
          <>
            <Message tone="edge">
              The {held.kind} is on. Put the instrument back, see a normal reading and take the hold off first; it is released with the run.
            </Message>
            <CheckLine label="Leave the hold on: it stays on the Holds page until somebody releases it there" checked={keeps} onChange={setKeeps} />
            {!keeps && (
              <>
                <TextField label="Normal reading seen" unit={run.view.instrument.unit} numeric value={reading} onChange={setReading} />
                <TextField label="Operator told (name)" value={operator} onChange={setOperator} />
              </>
            )}
          </>
        )}
        <TextField label="Reason" value={reason} onChange={setReason} />
        {voiding.isError && <Failure error={voiding.error} />}
        <ReallySo error={voiding.error} onConfirm={voiding.mutate} onTake={(_, value) => setReading(value)} />
        <div className="flex justify-end gap-3">
          <Button onClick={onClose}>Keep the run</Button>
          <Button kind="danger" type="submit" disabled={voiding.isPending || reason.trim().length < 2}>
            Void it
          </Button>
        </div>
      </form>
    </Modal>
  );
}
