import { useState } from "react";
import type { Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { useAppend } from "./useRun";

/** Cut a running timer short, with a reason for the record. */
export function EndTimer({ run, timer }: { run: Run; timer: string }) {
  const append = useAppend(run);
  const [reason, setReason] = useState("");
  const running = run.view.timers.find((t) => t.step === timer && !t.is_over);
  if (!running) return null;
  return (
    <div className="max-w-2xl space-y-2">
      <div className="flex items-end gap-3">
        <div className="flex-1">
          <TextField label="Or end it now, because" value={reason} onChange={setReason} />
        </div>
        <Button
          onClick={() => append.mutate([{ type: "timer_ended", payload: { step: timer, reason } }])}
          disabled={append.isPending || reason.trim().length < 2}
        >
          End it
        </Button>
      </div>
      {append.isError && <Failure error={append.error} />}
    </div>
  );
}
