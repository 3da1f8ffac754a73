import { useState } from "react";
import { ApiFailure, client, unwrap, type Run } from "../../api/client";
import { Button } from "../../ui/Button";
import { ChoiceField, TextField } from "../../ui/fields";
import { Failure } from "../../ui/Message";
import { ProofFields } from "../../ui/Proof";
import { useSigning } from "../run/useSigning";

/** A second name under a signed record, with as what. */
export function CountersignForm({ run }: { run: Run }) {
  const [capacity, setCapacity] = useState("");
  const { note, setNote, proof, prove, sign } = useSigning(run.id, "countersign", (proof, note) =>
    unwrap(
      client.POST("/api/v1/runs/{run_id}/countersign/", {
        params: { path: { run_id: run.id } },
        body: { expected_seq: run.view.seq, capacity, note, ...proof },
      }),
    ),
  );
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
      <ChoiceField
        label="I countersign as somebody"
        value={capacity}
        onChange={setCapacity}
        options={run.view.can_countersign.map((c) => ({ value: c.value, label: c.name }))}
        error={errors.capacity}
      />
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
