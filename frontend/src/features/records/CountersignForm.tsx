import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { ApiFailure, client, unwrap, type Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { NO_PROOF, ProofFields } from "../../ui/Proof";
import { useDraft } from "../../ui/useDraft";
import { useTakeRun } from "../run/useRun";

const AS = [
  { value: "part", label: "who did part of the work" },
  { value: "witness", label: "who saw it done" },
  { value: "answers", label: "who answers for it as supervisor" },
];

/** A second name under a signed record, with as what. */
export function CountersignForm({ run }: { run: Run }) {
  const { take, notice } = useTakeRun(run.id);
  const [capacity, setCapacity] = useState("");
  const [note, setNote] = useDraft(`${run.id}/countersign`);
  const [proof, prove] = useState(NO_PROOF);
  const sign = useMutation({
    mutationFn: () =>
      unwrap(
        client.POST("/api/v1/runs/{run_id}/countersign/", {
          params: { path: { run_id: run.id } },
          body: { expected_seq: run.view.seq, capacity, note, ...proof },
        }),
      ),
    onSuccess: (next) => {
      setNote("");
      take(next);
    },
    onError: (error) => {
      prove(NO_PROOF);
      notice(error);
    },
  });
  const errors = sign.error instanceof ApiFailure ? sign.error.byField : {};
  if (sign.isSuccess) return <p role="status" className="py-2">Your name is under it.</p>;
  return (
    <form
      className="space-y-3 py-2"
      onSubmit={(e) => {
        e.preventDefault();
        sign.mutate();
      }}
    >
      <p className="text-sm">Whoever countersigns stands beside the one who signed and does not review it.</p>
      <ChoiceField label="I countersign as somebody" value={capacity} onChange={setCapacity} options={AS} error={errors.capacity} />
      <TextField label="Note" hint="Optional; printed" value={note} onChange={setNote} error={errors.note} />
      <ProofFields label="Your password, to countersign" name="countersign-password" proof={proof} onChange={prove} errors={errors} />
      {sign.isError && Object.keys(errors).length === 0 && <Failure error={sign.error} />}
      <div className="flex justify-end">
        <Button type="submit" kind="primary" disabled={sign.isPending}>
          Countersign
        </Button>
      </div>
    </form>
  );
}
