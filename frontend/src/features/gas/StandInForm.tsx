import { useState } from "react";
import { ApiFailure, type Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import type { Carried } from "../run/useRun";
import { useSecond } from "./useSecond";

/** What stands in for an instrument that stays in service outside its limits: who or what watches, for how long, and the second person who agrees. */
export function StandInForm({ run, payload }: { run: Run; payload: Carried<"decision_made"> }) {
  const { send, fields } = useSecond(run, "decision_made");
  const [measure, setMeasure] = useState("");
  const [hours, setHours] = useState("");
  const errors = send.error instanceof ApiFailure ? send.error.byField : {};
  return (
    <div className="mt-2 max-w-2xl space-y-3">
      <TextField label="What stands in for it" hint="Who or what watches meanwhile, like a portable with its alarm at the cells." value={measure} onChange={setMeasure} error={errors.stand_in} />
      <div className="grid gap-4 sm:grid-cols-3">
        <TextField label="For how long" unit="h" numeric value={hours} onChange={setHours} error={errors.stand_in_hours} />
        {fields}
      </div>
      {send.isError && <Failure error={send.error} />}
      <Button kind="danger" onClick={() => send.mutate({ ...payload, stand_in: measure, stand_in_hours: hours })} disabled={send.isPending}>
        It stays in service, with this in its place
      </Button>
    </div>
  );
}
