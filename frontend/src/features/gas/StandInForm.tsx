import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { newId, useTakeRun } from "../run/useRun";

/** What stands in for an instrument that stays in service outside its limits: who or what watches, for how long, and the second person who agrees. */
export function StandInForm({ run, payload }: { run: Run; payload: Record<string, unknown> }) {
  const { take, notice } = useTakeRun(run.id);
  const [values, setValues] = useState({ stand_in: "", stand_in_hours: "", second: "", password: "" });
  const set = (name: keyof typeof values) => (value: string) => setValues({ ...values, [name]: value });
  const send = useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/runs/{run_id}/second/", {
          params: { path: { run_id: run.id } },
          body: {
            type: "decision_made", expected_seq: run.view.seq, id: newId(), second: values.second, password: values.password,
            payload: { ...payload, stand_in: values.stand_in, stand_in_hours: values.stand_in_hours },
          },
        }),
      ),
    onSuccess: take,
    onError: notice,
  });
  const errors = send.error instanceof ApiFailure ? send.error.byField : {};
  return (
    <div className="mt-2 max-w-2xl space-y-3">
      <TextField label="What stands in for it" hint="Who or what watches meanwhile, like a portable with its alarm at the cells." value={values.stand_in} onChange={set("stand_in")} error={errors.stand_in} />
      <div className="grid gap-4 sm:grid-cols-3">
        <TextField label="For how long" unit="h" numeric value={values.stand_in_hours} onChange={set("stand_in_hours")} error={errors.stand_in_hours} />
        <TextField label="Second person" value={values.second} onChange={set("second")} />
        <TextField label="Their password" type="password" value={values.password} onChange={set("password")} />
      </div>
      {send.isError && <Failure error={send.error} />}
      <Button kind="danger" onClick={() => send.mutate()} disabled={send.isPending}>
        It stays in service, with this in its place
      </Button>
    </div>
  );
}
