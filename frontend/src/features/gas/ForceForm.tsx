import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { client, unwrap, type Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { newId, useTakeRun } from "../run/useRun";

interface Props {
  run: Run;
  payload: Record<string, unknown>;
  needsSecond: boolean;
  needsProof: boolean;
  record: (more: Record<string, unknown>) => void;
  onDone: () => void;
}

/** Accept what the rules refuse: with a reason, by policy with a second person's password, and flagged on the record. */
export function ForceForm({ run, payload, needsSecond, needsProof, record, onDone }: Props) {
  const { take, notice } = useTakeRun(run.id);
  const [reason, setReason] = useState("");
  const [proof, setProof] = useState("");
  const [second, setSecond] = useState("");
  const [password, setPassword] = useState("");
  const force = useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/runs/{run_id}/second/", {
          params: { path: { run_id: run.id } },
          body: { type: "adjustment_made", expected_seq: run.view.seq, id: newId(), payload: { ...payload, force_reason: reason, gas_proof: proof }, second, password },
        }),
      ),
    onSuccess: (next) => {
      take(next);
      onDone();
    },
    onError: notice,
  });
  return (
    <div className="mt-2 max-w-2xl space-y-3">
      <TextField label="Why it must be forced" value={reason} onChange={setReason} />
      {needsProof && <TextField label="How the gas was proved" hint="Another bottle, another detector on it, the certificate seen." value={proof} onChange={setProof} />}
      {needsSecond && (
        <div className="grid grid-cols-2 gap-4">
          <TextField label="Second person" value={second} onChange={setSecond} />
          <TextField label="Their password" type="password" value={password} onChange={setPassword} />
        </div>
      )}
      {force.isError && <Failure error={force.error} />}
      <Button kind="danger" onClick={() => (needsSecond ? force.mutate() : record({ force_reason: reason }))} disabled={reason.trim().length < 2 || force.isPending}>
        Force it, flagged on the record
      </Button>
    </div>
  );
}
